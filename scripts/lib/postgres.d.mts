export function startCluster(folder: string, options?: { throwAway?: boolean }): Promise<unknown>;
export function throwAwayCluster(): Promise<{
  url: (database: string) => string;
  appUrl: (database: string) => string;
  stop: () => void;
}>;
export const APP_ROLE: string;
export function runSql(url: string, text: string): string;
export function dumpTo(url: string, file: string): void;
export const LEFT_OUT: string[];
