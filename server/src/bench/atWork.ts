import type { ControlState, PlanStep } from '@cellmend/core/bench';
import type { BoardRow } from '@cellmend/contract/jobs';
import { QueryTypes } from 'sequelize';
import type { Store } from '../domain/store';

/** What a step usually takes, s: its time, or what its recipe planned for it, of which its limit is half as much again. */
const usuallyS = (step: PlanStep): number => step.lastsS ?? step.limits.mostS / 1.5;

/** What a whole plan usually takes, h. */
export const usualHours = (plan: readonly PlanStep[]): number =>
  plan.reduce((sum, s) => sum + usuallyS(s), 0) / 3600;

/** What of a state is shown while it runs. */
export function shown(plan: readonly PlanStep[], state: ControlState) {
  const step = plan[Math.min(state.step, plan.length - 1)]!;
  const over = state.step >= plan.length;
  const stepLeftS = over ? null : Math.max(0, usuallyS(step) - (state.timeS - state.stepFromS));
  return {
    step: state.step,
    mode: state.cools ? ('rest' as const) : step.mode,
    cools: state.cools,
    runS: state.timeS,
    outAh: state.outAh,
    inAh: state.inAh,
    stepLeftS,
    runLeftS:
      stepLeftS === null ? null : plan.slice(state.step + 1).reduce((sum, s) => sum + usuallyS(s), stepLeftS),
  };
}

/** What the bench does for a job: how many run, how many wait, when the first is over, and which is warmest. */
export type AtWork = NonNullable<BoardRow['bench']>;
export async function onTheBench(store: Store): Promise<Map<number, AtWork>> {
  const rows = await store.sequelize.query<{
    number: number;
    place: string;
    state: string;
    plan: PlanStep[];
    control: ControlState | null;
    time_scale: number;
  }>(
    `SELECT j.number, r.parameters->>'place' AS place, r.state, r.parameters->'plan' AS plan, r.control, i.time_scale
       FROM instrument_runs r JOIN jobs j ON j.id = r.job_id JOIN instruments i ON i.id = r.instrument_id
      WHERE r.kept_sha256 IS NULL AND r.state IN ('running', 'interrupted') AND jsonb_exists(r.parameters, 'plan')
        AND NOT EXISTS (SELECT 1 FROM instrument_runs n WHERE n.continues = r.id)`,
    { type: QueryTypes.SELECT },
  );
  const by = new Map<number, AtWork>();
  const now = store.clock.now().wallMs;
  for (const r of rows) {
    const own = by.get(r.number) ?? { on: 0, waits: 0, overAt: null, warmest: null };
    by.set(r.number, own);
    if (r.state !== 'running') {
      own.waits++;
      continue;
    }
    own.on++;
    const c = r.control?.last?.temperatureC ?? null;
    if (c !== null && (own.warmest === null || c > own.warmest.c))
      own.warmest = { place: r.place || 'the pack', c };
    const leftS = r.control ? shown(r.plan, r.control).runLeftS : null;
    if (leftS === null) continue;
    const at = new Date(now + (leftS * 1000) / r.time_scale).toISOString();
    if (own.overAt === null || at < own.overAt) own.overAt = at;
  }
  return by;
}
