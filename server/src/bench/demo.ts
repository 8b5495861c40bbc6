import { randomUUID } from 'node:crypto';
import type { Store } from '../domain/store';
import type { InstrumentRuns } from '../instruments/runs';
import { channelId, FIRST, JOB } from './simulated';
import { startSupervised } from './supervised';

/** A bench that is at work when the demo is first looked at. */
export async function beginDemoRuns(store: Store, runs: InstrumentRuns): Promise<void> {
  const person = (await store.models.Person.findOne({ where: { name: 'Tomas Rook' } }))!;
  for (const [k, place] of FIRST.entries())
    await startSupervised(store, runs, person, JOB, randomUUID(), {
      place,
      recipe: 'capacity',
      instrumentId: channelId(k),
      looked: true,
    });
}
