export function installationKey(folder: string): Buffer;
export function seal(
  dump: string,
  file: string,
  key: Buffer,
  options?: { passphrase?: string; at?: Date },
): void;
export function unseal(
  file: string,
  dump: string,
  key: Buffer,
  options?: { passphrase?: string; elsewhere?: boolean },
): { at: string; ours: boolean; bytes: number };
