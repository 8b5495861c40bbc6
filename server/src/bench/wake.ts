import { StartWakeSchema, type SupervisedRun } from '@cellmend/contract/supervised';
import { mayRecover } from '@cellmend/core/bench';
import { fullV, InputProblem, limitValue, normalisePack } from '@cellmend/core/pack';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import type { PersonRow } from '../db/rows';
import { Refusal } from '../domain/refusal';
import type { Store } from '../domain/store';
import type { InstrumentRuns } from '../instruments/runs';
import { findJob } from '../jobs/find';
import { viewPerson } from '../people/service';
import { ANSWERED } from './finish';
import { startRecipe, supervisedOf } from './supervised';
import { viewOne } from './supervisedView';
import { WHOLE_PACK } from './service';

/** Above this a pack is live work, V d.c. */
const LIVE_V = 60;
/** A pack that stands this far above empty sleeps for another reason, V a cell. */
const NOT_FLAT_V = 0.2;

/**
 * Trickles a pack that is asleep through its own terminals until somebody says that its management unit answers. Whoever asks
 * must be qualified where it is live; what is known of a dead group, or a pack too low to be without one, means strip-down.
 */
export async function startWake(
  store: Store,
  runs: InstrumentRuns,
  person: PersonRow,
  number: unknown,
  key: string,
  body: unknown,
): Promise<SupervisedRun> {
  const { instrumentId, recovery } = StartWakeSchema.parse(body);
  const { job, profile } = await findJob(store, number);
  const { maySignHv, hvReason } = viewPerson(person);
  const mostV = fullV(profile, normalisePack(profile).groups.length);
  if (mostV > LIVE_V && !maySignHv)
    throw new Refusal(
      'notAllowed',
      'Not allowed',
      `At ${mostV.toFixed(0)} V this is work on a live pack. ${hvReason}`,
      {
        accepted: 'Somebody with a high-voltage qualification.',
      },
    );
  const spread = await store.models.Finding.findOne({
    where: { jobId: job.id, topic: 'spread' },
    order: [['createdAt', 'DESC']],
  });
  const dead = ((spread?.result as SpreadReport | undefined)?.outOfBounds ?? []).find((o) =>
    ['dead', 'reversed'].includes(o.state),
  );
  if (dead) throw strip(dead.says);
  return startRecipe(store, runs, person, number, key, {
    place: WHOLE_PACK,
    recipe: 'wake',
    on: 'pack',
    instrumentId,
    recovery,
    mayBegin: ({ voltageV }, { cells }) => {
      const emptyV = limitValue(profile, 'cellEmptyV');
      if (voltageV / cells > emptyV + NOT_FLAT_V)
        throw new InputProblem(
          'not-flat',
          `It rests at ${voltageV.toFixed(1)} V, above empty: it is not asleep for want of charge.`,
          'the pack',
          'Its 12 V supply, its plug and its lock are looked at first.',
        );
      const { may, against } = mayRecover(profile, { restV: voltageV, cells, ...recovery });
      if (!may) throw strip(against.join(' '));
    },
  });
}
const strip = (why: string): InputProblem =>
  new InputProblem(
    'strip-down',
    `Strip it down. ${why}`,
    'the pack',
    'A group at 0 V is found at its module.',
  );

/** Somebody sees that the management unit answers: the trickle ends, and the pack is scanned. */
export async function wakeAnswered(
  store: Store,
  runs: InstrumentRuns,
  number: unknown,
  id: string,
): Promise<SupervisedRun> {
  const { job } = await findJob(store, number);
  const row = await supervisedOf(store, job.id, id);
  if (row.parameters.recipe !== 'wake' || row.state !== 'running')
    throw new Refusal('conflict', 'Not running', 'No pack is being woken by that run.');
  await runs.stopRun(row.id, ANSWERED);
  return viewOne(store, id);
}
