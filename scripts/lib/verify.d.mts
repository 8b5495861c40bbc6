export const TABLES: string[];
export function verifyRecord(url: string): {
  links: number;
  head: string | null;
  breaks: number;
  first: { seq: number; what: string; key: string; how: string } | null;
};
