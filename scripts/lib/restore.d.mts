export interface RestoreSteps {
  migrateTo: (url: string, names: readonly string[]) => Promise<void>;
  afterRestore: (url: string, options: { appRole: string; madeAt: string | null }) => Promise<void>;
}
export function rowsOf(dump: string, folder: string): { table: string; columns: string[]; file: string }[];
export function restoreFrom(
  url: string,
  dump: string,
  steps: RestoreSteps,
  options?: { appRole?: string; madeAt?: string | null },
): Promise<void>;
