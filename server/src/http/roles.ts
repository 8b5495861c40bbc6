export type Role = 'technician' | 'lead' | 'viewer';
