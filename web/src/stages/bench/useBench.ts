import type { BenchView, NewHold, NewRun, Run } from '@cellmend/contract/bench';
import {
  judgeCycles,
  type BankPlan,
  type CyclesJudged,
  type DaysAnswer,
  type HeldJudged,
  warming,
} from '@cellmend/core/bench';
import type { Ready } from '@cellmend/core/quote';
import { limitValue, type Pack } from '@cellmend/core/pack';
import type { Reading } from '@cellmend/contract/records';
import useSWR from 'swr';
import { get } from '../../api/client';
import { take } from '../../api/queue';
import { useWorker } from '../../shell/useWorker';
import type { BenchAnswer, BenchQuestion } from './benchWorker';

export const useBench = (job: number | null) =>
  useSWR<BenchView>(job === null ? null : `/jobs/${job}/bench`, get);

/** Keeps a run on this tablet before it is sent. */
export const keepRun = (job: number, body: NewRun): string =>
  take({ path: `/jobs/${job}/bench/runs`, body, label: `Bench run of ${body.place}`, jobNumber: job });
export const keepHold = (job: number, body: NewHold): string =>
  take({ path: `/jobs/${job}/bench/holds`, body, label: `Hold test of ${body.place}`, jobNumber: job });

/** NiMH on a charger: numbers of the trade, 45 °C and a degree a minute [T]. */
const NIMH_MOST_C = 45;
const NIMH_MOST_C_PER_MIN = 1;
/** A temperature from longer ago says nothing of what runs now, min. */
const STILL_MIN = 90;

/** A module with its cycles, what they say, and its runs. */
export interface Sticks {
  place: string;
  runs: Run[];
  /** Those that measured something. */
  cycles: Run[];
  judged: CyclesJudged;
}
export function sticksOf(pack: Pack, runs: readonly Run[]): Sticks[] {
  const by = new Map<string, Run[]>();
  for (const r of runs) by.set(r.place, [...(by.get(r.place) ?? []), r]);
  return pack.modules.flatMap((m) => {
    const own = by.get(m.id);
    if (!own) return [];
    const cycles = own.filter((r) => r.capacityAh !== null);
    const judged = judgeCycles(
      pack.profile.ratedCapacityAh,
      cycles.map((r) => ({
        currentA: r.currentA,
        hottestC: r.hottestC,
        capacityAh: r.capacityAh!,
        lowerBound: r.lowerBound,
        dropouts: r.dropoutsAh.length,
      })),
      pack.profile.chemistry,
    );
    return [{ place: m.id, runs: own, cycles, judged }];
  });
}

/** Modules that grow warm, by the temperatures of the last hours. */
export function warmOf(pack: Pack, readings: readonly Reading[]): { place: string; says: string }[] {
  const nimh = pack.profile.chemistry === 'nimh';
  const mostC = nimh ? NIMH_MOST_C : limitValue(pack.profile, 'temperatureMostC');
  const by = new Map<string, { min: number; c: number }[]>();
  for (const r of readings)
    if (
      r.kind === 'temperature' &&
      r.value !== null &&
      !r.supersededBy &&
      pack.modules.some((m) => m.id === r.place)
    )
      by.set(r.place, [...(by.get(r.place) ?? []), { min: Date.parse(r.observedAt) / 60_000, c: r.value }]);
  const now = Date.now() / 60_000;
  return [...by].flatMap(([place, list]) => {
    if (now - Math.max(...list.map((x) => x.min)) > STILL_MIN) return [];
    const told = warming(list, mostC, nimh ? NIMH_MOST_C_PER_MIN : null);
    return told ? [{ place, says: told.says }] : [];
  });
}

const work = (): Worker => new Worker(new URL('./benchWorker.ts', import.meta.url), { type: 'module' });
interface Worked {
  holds: (HeldJudged | null)[];
  days: DaysAnswer;
  bank: BankPlan;
  ready: Record<string, Ready>;
}

/** Hold tests, days, the load bank or when repairs are ready, worked out in a thread. */
export function useThread<K extends BenchQuestion['kind']>(
  kind: K,
  ask: Extract<BenchQuestion, { kind: K }>['ask'] | null,
): { answer: Worked[K] | null; problem: { what: string; accepted: string } | null; busy: boolean } {
  const { answer, failed, busy } = useWorker<BenchAnswer>(work, ask && { kind, ask });
  const problem =
    answer && 'problem' in answer
      ? { what: answer.problem, accepted: answer.accepted }
      : failed
        ? { what: 'That could not be worked out.', accepted: 'Other figures.' }
        : null;
  return { answer: answer && kind in answer ? (answer as unknown as Worked)[kind] : null, problem, busy };
}
