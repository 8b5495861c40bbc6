/** What became of the entry that a failed request brought: certain only where somebody knows. */
export type Stored = 'not' | 'stored' | 'uncertain';
const told = new WeakMap<object, Stored>();

/** Says of an error what became of the entry; the first who knows is believed. */
export function tellStored<E>(error: E, stored: Stored): E {
  if (typeof error === 'object' && error !== null && !told.has(error)) told.set(error, stored);
  return error;
}
/** Null where the request brought no entry. */
export const storedOf = (error: unknown): Stored | null =>
  typeof error === 'object' && error !== null ? (told.get(error) ?? null) : null;

export const STORED_WORDS: Record<Stored, string> = {
  not: 'Nothing of it was stored.',
  stored: 'It is stored; only the answer failed.',
  uncertain: 'Whether this entry was stored is not certain. Sent again with the same key it is stored once.',
};
