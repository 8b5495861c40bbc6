import type { Decision } from '@cellmend/contract/decisions';
import type { Store } from '../domain/store';
import { namesOf } from '../safety/gate';
import type { Standing } from './current';

/** Decisions as pages show them, with who signed. */
export async function viewDecisions(store: Store, rows: readonly Standing[]): Promise<Decision[]> {
  const name = await namesOf(
    store,
    rows.map((r) => r.personId),
  );
  return rows.map(({ personId, signedAt, ...d }) => ({
    ...d,
    signedBy: name[personId] ?? 'someone',
    signedAt: signedAt.toISOString(),
  }));
}
export const viewDecision = async (store: Store, row: Standing): Promise<Decision> =>
  (await viewDecisions(store, [row]))[0]!;
