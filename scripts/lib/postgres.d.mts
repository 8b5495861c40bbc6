export function startCluster(folder: string, options?: { throwAway?: boolean }): Promise<unknown>;
export function throwAwayCluster(): Promise<{ url: (database: string) => string; stop: () => void }>;
export function dumpTo(url: string, file: string): void;
export function restoreFrom(url: string, file: string): void;
