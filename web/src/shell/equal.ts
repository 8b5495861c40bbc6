/** Whether two plain values hold the same, whatever the order of their keys. */
export function isEqual(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  const keys = new Set([...Object.keys(a), ...Object.keys(b)]);
  return [...keys].every((k) =>
    isEqual((a as Record<string, unknown>)[k], (b as Record<string, unknown>)[k]),
  );
}
