import { StartTransferSchema, type SupervisedRun } from '@cellmend/contract/supervised';
import { createHash } from 'node:crypto';
import type { PersonRow } from '../db/rows';
import type { Store } from '../domain/store';
import type { InstrumentRuns } from '../instruments/runs';
import { refuse } from './mayRun';
import { startRecipe, type Start } from './supervised';
import { viewOne } from './supervisedView';

/** The key of the second run of a transfer, by that of the first: sent twice it is one transfer. */
function partnerKey(key: string): string {
  const h = createHash('sha256').update(`transfer ${key}`).digest('hex');
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-4${h.slice(13, 16)}-8${h.slice(17, 20)}-${h.slice(20, 32)}`;
}

/**
 * Empties one module into another: two runs, each with its own limits and its own record, that end together. The one that takes
 * begins first: what is given never has nowhere to go. Where the other cannot begin, the first is taken off again.
 */
export async function startTransfer(
  store: Store,
  runs: InstrumentRuns,
  person: PersonRow,
  number: unknown,
  key: string,
  body: unknown,
): Promise<SupervisedRun[]> {
  const { from, into, giveWithId, takeWithId } = StartTransferSchema.parse(body);
  if (from === into) throw refuse('One module', 'A module is not emptied into itself.', 'Two modules.');
  if (giveWithId === takeWithId)
    throw refuse(
      'One channel',
      'Two channels are needed: one gives, one takes.',
      'Another channel for one of them.',
    );
  const taking = partnerKey(key);
  const start = (
    place: string,
    recipe: 'give' | 'take',
    instrumentId: string,
    own: string,
    partner: string,
  ) => {
    const input: Start = { place, recipe, on: 'transfer', instrumentId, recovery: null, partner };
    return startRecipe(store, runs, person, number, own, input);
  };
  const takes = await start(into, 'take', takeWithId, taking, key);
  try {
    const gives = await start(from, 'give', giveWithId, key, taking);
    const other = await viewOne(store, takes.id);
    // It may have ended before this one was begun: nothing is given to a module that takes nothing.
    if (gives.state === 'running' && other.state !== 'running')
      await runs.stopRun(gives.id, `${into} took nothing`);
    return [await viewOne(store, gives.id), other];
  } catch (e) {
    await runs.stopRun(takes.id, `${from} could not give`);
    throw e;
  }
}
