import { InputProblem } from '../../problem';
import { observedOf, type Observed } from './observed';
import { DEAD_SHARE, stickDraws, type Draw } from './posterior';
import { emptyAtCutOff, nthLeast, type StickEvent } from './stick';

export interface ConditionAsk {
  /** Of one stick. */
  cellsInSeries: number;
  ratedAh: number;
  sticks: { id: string; history: StickEvent[] }[];
  /** People at the bench, and how many runs one of them can have in sight. */
  people: number;
  runsPerPerson: number;
  channels: number;
  /** What every stick shall hold at the least, A·h. */
  wanted: { leastAh: number };
}
export type StickVerdict = 'keep' | 'condition' | 'replace' | 'undetermined';
export interface StickJudged {
  id: string;
  /** At least so many cells, with odds of three to one: each is counted once, the worst first; `reversed` tells of the last discharge. */
  cells: { outOfBalance: number; worn: number; dead: number; reversed: number };
  /** What it gives once its cells are level; null where no discharge is on record. */
  capacityAh: { value: number; low: number; high: number } | null;
  verdict: StickVerdict;
  /** Against its last discharge, or against what is in it now; never beyond the rating. */
  expectedGainAh: { low: number; high: number };
  why: string[];
}
export interface PlannedStep {
  stick: string;
  step: string;
  startH: number;
  hours: number;
  watts: number;
  attended: boolean;
}
export interface ConditionAnswer {
  sticks: StickJudged[];
  plan: PlannedStep[];
  hours: number;
  /** Of the sticks that stay, once levelled; null where none does. */
  leastAhAfter: { low: number; high: number } | null;
}

/** Shares of the draws from which a stick is kept, conditioned, or given up. */
const SURE = 0.9;
const HOPELESS = 0.05;
const LIKELY = 0.5;
/** A cell further from full than its fullest neighbour by this share of the rating is out of balance. From memory. */
const OUT_OF_BALANCE = 0.1;
/** Cells are counted that at least three of four draws have. */
const TOLD = 0.25;
/** What is left out at both ends of an interval: nine in ten lie within. */
const TAIL = 0.05;
/** A gentle charge to level, a rest, and a discharge that measures. Common practice of the trade, no source. */
const GENTLE_C = 0.1;
const GENTLE_H = 16;
const REST_H = 1;
const MEASURE_C = 0.5;
const CHARGING_V = 1.45;
const DRAWING_V = 1.2;

const sortedOf = (values: readonly number[]): number[] => [...values].sort((a, b) => a - b);
const quantile = (values: readonly number[], p: number): number => {
  const s = sortedOf(values);
  return s[Math.min(s.length - 1, Math.max(0, Math.round(p * (s.length - 1))))]!;
};
const interval = (values: readonly number[]): { low: number; high: number } => ({
  low: quantile(values, TAIL),
  high: quantile(values, 1 - TAIL),
});

/** How many cells of a draw are dead, worn (holding less than wanted), and out of balance. */
function countsOf(
  { capacityAh, chargeAh, asleep }: Draw,
  ratedAh: number,
  leastAh: number,
): [number, number, number] {
  let [dead, worn, out] = [0, 0, 0];
  const lacks = capacityAh.map((c, i) => c * (1 - asleep) - chargeAh[i]!);
  const isDead = (c: number): boolean => c < DEAD_SHARE * ratedAh;
  const fullest = Math.min(...lacks.filter((_, i) => !isDead(capacityAh[i]!)));
  capacityAh.forEach((c, i) => {
    if (isDead(c)) dead++;
    else if (c < leastAh) worn++;
    else if (lacks[i]! - fullest > OUT_OF_BALANCE * ratedAh) out++;
  });
  return [dead, worn, out];
}

function checkAsk({ sticks, wanted, ratedAh }: ConditionAsk): void {
  if (new Set(sticks.map((s) => s.id)).size !== sticks.length)
    throw new InputProblem('twice', 'A stick is listed twice.', 'sticks', 'Each id once.');
  if (wanted.leastAh > ratedAh)
    throw new InputProblem(
      'wanted',
      `${wanted.leastAh} A·h are wanted of sticks rated ${ratedAh} A·h.`,
      'wanted.leastAh',
      `At most ${ratedAh} A·h.`,
    );
  sticks.forEach(({ id, history }, s) =>
    history.forEach((e, i) => {
      if ((e.voltageV?.length ?? 0) !== (e.timeH ?? e.voltageV ?? []).length)
        throw new InputProblem(
          'shape',
          `${id}: ${e.voltageV?.length ?? 0} voltages and ${e.timeH?.length ?? 0} times.`,
          `sticks[${s}].history[${i}]`,
          'One time a voltage.',
        );
    }),
  );
}

/** What one stick is by everything that was done to it. */
function judged(
  ask: ConditionAsk,
  id: string,
  observed: readonly Observed[],
  draws: readonly Draw[],
): { judged: StickJudged; after: number[] } {
  const { cellsInSeries, ratedAh, wanted } = ask;
  const limiting = emptyAtCutOff(cellsInSeries);
  const after = draws.map((d) =>
    Math.min(ratedAh, nthLeast(d.capacityAh, limiting) * (1 - d.asleep * d.wakes)),
  );
  const counts = draws.map((d) => countsOf(d, ratedAh, wanted.leastAh));
  // Nobody has seen the cells that are fuller than those that end a discharge: what is told is what three draws of four have.
  const atLeast = (values: readonly number[]): number => quantile(values, TOLD);
  const [dead, worn, outOfBalance] = [0, 1, 2].map((k) => atLeast(counts.map((c) => c[k]!))) as [
    number,
    number,
    number,
  ];
  const reversed = atLeast(draws.map((d) => d.reversed));
  const last = observed.findLast((o) => o.event.kind === 'discharge');
  const from = last ? draws.map(() => last.ah) : draws.map((d) => nthLeast(d.chargeAh, limiting));
  const gain = interval(after.map((a, i) => Math.max(0, a - from[i]!)));
  const enough = after.filter((a) => a >= wanted.leastAh).length / after.length;
  const deadLikely = counts.filter((c) => c[0] > 0).length / counts.length;
  const measured = last !== undefined && last.ah >= wanted.leastAh && deadLikely < LIKELY;
  const verdict: StickVerdict =
    measured && enough >= LIKELY
      ? 'keep'
      : deadLikely >= SURE || enough <= HOPELESS
        ? 'replace'
        : enough >= LIKELY
          ? 'condition'
          : 'undetermined';
  const odds = `${Math.round(100 * enough)} in 100`;
  const why = [
    last
      ? `Its last discharge gave ${last.ah.toFixed(2)} A·h of ${wanted.leastAh} wanted.`
      : 'No discharge of it is on record.',
    verdict === 'replace'
      ? `Levelled, it comes to ${wanted.leastAh} A·h with odds of ${odds}: another cycle does not pay.`
      : `Levelled, it comes to ${wanted.leastAh} A·h with odds of ${odds}.`,
    ...(dead > 0 ? [`${dead} ${dead === 1 ? 'cell gives' : 'cells give'} nothing.`] : []),
    ...(worn > 0
      ? [`${worn} ${worn === 1 ? 'cell holds' : 'cells hold'} less than wanted even when full.`]
      : []),
    ...(outOfBalance > 0
      ? [
          `${outOfBalance} ${outOfBalance === 1 ? 'cell is' : 'cells are'} less full than the others: a gentle charge levels them.`,
        ]
      : []),
    ...(reversed > 0
      ? [
          `${reversed} ${reversed === 1 ? 'cell was' : 'cells were'} driven backwards in the last discharge: end the next one earlier.`,
        ]
      : []),
    ...(verdict === 'undetermined' ? ['A gentle charge and one discharge will tell.'] : []),
  ];
  return {
    judged: {
      id,
      cells: { outOfBalance, worn, dead, reversed },
      capacityAh: last ? { value: quantile(after, 0.5), ...interval(after) } : null,
      verdict,
      expectedGainAh: gain,
      why,
    },
    after,
  };
}

/** Level gently, rest, measure: as many at once as there are channels, and runs that the people there can have in sight. */
function planOf(ask: ConditionAsk, ids: readonly string[]): { plan: PlannedStep[]; hours: number } {
  const { cellsInSeries, ratedAh } = ask;
  const steps = [
    {
      step: 'gentle charge',
      hours: GENTLE_H,
      watts: GENTLE_C * ratedAh * CHARGING_V * cellsInSeries,
      attended: true,
    },
    { step: 'rest', hours: REST_H, watts: 0, attended: false },
    {
      step: 'discharge to cut-off',
      hours: 1 / MEASURE_C,
      watts: MEASURE_C * ratedAh * DRAWING_V * cellsInSeries,
      attended: true,
    },
  ];
  const atOnce = Math.min(ask.channels, ask.people * ask.runsPerPerson);
  const each = steps.reduce((s, x) => s + x.hours, 0);
  const plan = ids.flatMap((stick, i) => {
    let startH = Math.floor(i / atOnce) * each;
    return steps.map((s): PlannedStep => {
      const planned = { stick, ...s, startH };
      startH += s.hours;
      return planned;
    });
  });
  return { plan, hours: Math.ceil(ids.length / atOnce) * each };
}

/**
 * NiMH sticks on the bench: what of a stick is out of balance, worn or dead, by all that was done to it and not by one run alone, whether
 * levelling brings it to what is wanted, and in which hours. A stick that was never levelled is charged gently before its capacity is
 * run: what a low cell lacks is not what it cannot hold.
 */
export function conditionSticks(ask: ConditionAsk): ConditionAnswer {
  checkAsk(ask);
  const all = ask.sticks.map(({ id, history }, i) => {
    const observed = history.map((e) => observedOf(e, ask.cellsInSeries));
    return judged(ask, id, observed, stickDraws(observed, ask.cellsInSeries, ask.ratedAh, i + 1));
  });
  const stay = all.filter((s) => s.judged.verdict !== 'replace');
  const toDo = all.flatMap(({ judged: s }) =>
    s.verdict === 'condition' || s.verdict === 'undetermined' ? [s.id] : [],
  );
  const draws = Math.min(...all.map((s) => s.after.length));
  const least = Array.from({ length: draws }, (_, k) => Math.min(...stay.map((s) => s.after[k]!)));
  return {
    sticks: all.map((s) => s.judged),
    ...planOf(ask, toDo),
    leastAhAfter: stay.length > 0 ? interval(least) : null,
  };
}
