export const TABLES: string[];
export interface Break {
  seq: number | null;
  what: string;
  key: string;
  how: string;
}
export function verifyRecord(url: string): {
  links: number;
  head: string | null;
  breaks: number;
  first: Break | null;
  all: Break[];
};
export const GUARDS_SQL: string;
