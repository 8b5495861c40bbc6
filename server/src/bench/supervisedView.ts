import type { SupervisedRun, SupervisedView } from '@cellmend/contract/supervised';
import type { ControlState, PlanStep } from '@cellmend/core/bench';
import { QueryTypes } from 'sequelize';
import type { Store } from '../domain/store';
import { findJob } from '../jobs/find';
import { namesOf } from '../safety/gate';
import { askedOf, chainOf, isThrough, stateOf } from './asked';
import { shown } from './atWork';

/** Stretches that the picture of a running run is told in. */
const STRETCHES = 120;
/** Runs that ended are shown beside those that go on for so long, h. */
const SHOWN_H = 24;

/** What ends a step, in words. */
function endsOf(step: PlanStep): string {
  const l = step.limits;
  const time = step.lastsS === null ? '' : `${(step.lastsS / 3600).toFixed(1)} h`;
  const ends =
    step.mode === 'discharge'
      ? [`${l.leastV.toFixed(2)} V`]
      : step.mode === 'rest'
        ? [time]
        : [
            step.then['minus delta V'] === 'next' && l.minusDeltaV !== null
              ? `−ΔV ${(l.minusDeltaV * 1000).toFixed(0)} mV`
              : '',
            step.then.warming === 'next' && l.mostCPerMin !== null ? `${l.mostCPerMin} °C a minute` : '',
            step.then.charge === 'next' ? `${l.mostAh.toFixed(1)} A·h` : '',
            step.tapersToA === null ? time : `${step.tapersToA.toFixed(2)} A at ${l.mostV.toFixed(2)} V`,
          ];
  return ends.filter(Boolean).join(', ');
}

export const endsNow = (plan: readonly PlanStep[], { step }: ControlState): string =>
  step < plan.length ? endsOf(plan[step]!) : '';

export async function viewSupervised(store: Store, number: unknown): Promise<SupervisedView> {
  const { job } = await findJob(store, number);
  const rows = await store.sequelize.query<{ id: string }>(
    `SELECT r.id FROM instrument_runs r WHERE r.job_id = :job AND jsonb_exists(r.parameters, 'plan')
       AND NOT EXISTS (SELECT 1 FROM instrument_runs n WHERE n.continues = r.id)
       AND (r.state = 'running' OR r.output <> 'off' OR (r.kept_sha256 IS NULL) OR r.ended_at > now() - interval '${SHOWN_H} hours')
     ORDER BY r.state = 'running' DESC, r.started_at DESC LIMIT 60`,
    { replacements: { job: job.id }, type: QueryTypes.SELECT },
  );
  return Promise.all(rows.map((r) => viewOne(store, r.id)));
}

export async function viewOne(store: Store, id: string): Promise<SupervisedRun> {
  const row = (await store.models.InstrumentRun.findByPk(id))!;
  const chain = await chainOf(store, row);
  const asked = askedOf(row);
  const instrument = await store.models.Instrument.findByPk(row.instrumentId);
  const names = await namesOf(store, [row.personId]);
  const state = row.control ?? stateOf(chain.at(-2) ?? row);
  // A short one by its readings; of a long one the minutes are enough, however many days they are.
  const from =
    state.timeS < 60 * STRETCHES
      ? 'SELECT run_id, time_s AS t, voltage_v AS low, voltage_v AS high FROM run_log'
      : 'SELECT run_id, 60.0 * minute + 30 AS t, low, high FROM run_minutes';
  const course = await store.sequelize.query<{ t: number; low: number; high: number }>(
    `SELECT avg(t)::float8 AS t, min(low) AS low, max(high) AS high FROM (${from}) AS r WHERE run_id IN (:ids)
     GROUP BY width_bucket(t::float8, 0, :end, ${STRETCHES}) ORDER BY 1`,
    { replacements: { ids: chain.map((r) => r.id), end: Math.max(1, state.timeS) }, type: QueryTypes.SELECT },
  );
  return {
    id: row.id,
    place: asked.place,
    recipe: asked.recipe,
    recipeName: asked.name,
    instrument: instrument?.name ?? 'an instrument',
    instrumentId: row.instrumentId,
    simulated: instrument?.simulated ?? false,
    // One that was left as it is waits for nobody.
    state: row.state === 'interrupted' && (row.keptSha256 !== null || isThrough(row)) ? 'done' : row.state,
    kept: row.keptSha256 !== null,
    output: row.output,
    why: row.why,
    by: names[row.personId] ?? 'someone',
    startedAt: chain[0]!.startedAt.toISOString(),
    endedAt: row.endedAt?.toISOString() ?? null,
    steps: asked.plan.map((s) => s.name),
    ends: endsNow(asked.plan, state),
    reading: state.last,
    ...shown(asked.plan, state),
    timeScale: instrument?.timeScale ?? 1,
    course: course.map((c) => [c.t, c.low, c.high]),
  };
}
