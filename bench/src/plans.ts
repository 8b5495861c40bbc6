import { scheduleBench, type ScheduleAsk } from '@cellmend/core/bench';
import { selectModules, type SelectAsk } from '@cellmend/core/match';
import { Random } from '@cellmend/core/simpack';
import { scheduleByHighs, weakestFirstByHighs } from './peers/highs';
import { printTable } from './table';

const SMALL = 10;
const timed = async <T>(work: () => T | Promise<T>): Promise<{ answer: T; ms: number }> => {
  const began = performance.now();
  const answer = await work();
  return { answer, ms: performance.now() - began };
};

/** A bench with so many modules of so many steps each. */
const benchOf = (seed: number, modules: number, steps: number, channels: number): ScheduleAsk => {
  const r = new Random(seed);
  return {
    channels,
    powerBudgetKw: 2 * channels,
    persons: Math.max(1, channels / 4),
    holdChannel: false,
    gridH: 1,
    workingWindowsH: Array.from({ length: 200 }, (_, d): [number, number] => [24 * d + 8, 24 * d + 17]),
    modules: Array.from({ length: modules }, (_, i) => ({
      id: `M${i}`,
      releaseH: r.integer(0, 6),
      steps: Array.from({ length: steps }, (__, k) => ({
        name: `s${k}`,
        hours: r.integer(1, 5),
        powerKw: r.integer(1, 2),
        attended: r.uniform() < 0.3,
        channel: r.uniform() < 0.8,
      })),
    })),
  };
};
const shelf = (seed: number, n: number, positions: number): SelectAsk => {
  const r = new Random(seed);
  return {
    candidates: Array.from({ length: n }, (_, i) => ({
      id: `S${i}`,
      capacityAh: +r.uniform(40, 60).toFixed(1),
      resistanceMilliohm: +r.uniform(0.6, 1.8).toFixed(2),
      restVoltageV: +r.uniform(29, 29.6).toFixed(2),
    })),
    positions,
    fixed: {},
    limits: { restVoltageSpreadMostV: 0.45 },
    aim: 'weakest-first',
    tolerance: { capacityAh: 0.5, resistanceMilliohm: 0.1 },
  };
};

/** Plans of the bench and choices from the shelf, against HiGHS on the same questions. */
export async function benchPlans(): Promise<void> {
  const gaps: number[] = [];
  for (let seed = 1; seed <= SMALL; seed++) {
    const ask = benchOf(seed, 4, 3, 2);
    const mine = scheduleBench(ask);
    const truth = await scheduleByHighs(ask, mine.makespanH + 1);
    gaps.push(mine.makespanH / truth - 1);
  }
  const six = benchOf(3, 6, 6, 2);
  const ours6 = scheduleBench(six);
  const theirs = await timed(() => scheduleByHighs(six, ours6.makespanH + 1));
  const hundred = await timed(() => scheduleBench(benchOf(4, 100, 6, 8)));
  let same = 0;
  let asked = 0;
  let [oursMs, theirsMs] = [0, 0];
  for (const [seed, n, places] of [
    [1, 20, 8],
    [2, 40, 20],
    [3, 60, 40],
    [4, 60, 24],
  ] as const) {
    const ask = shelf(seed, n, places);
    const own = await timed(() => selectModules(ask));
    const peer = await timed(() => weakestFirstByHighs(ask));
    asked++;
    oursMs += own.ms;
    theirsMs += peer.ms;
    const o = own.answer.objective as { leastCapacityAh: number; capacitySpreadAh: number } | null;
    if (
      (o === null) === (peer.answer === null) &&
      (o === null ||
        (Math.abs(o.leastCapacityAh - peer.answer!.leastCapacityAh) < 1e-5 &&
          Math.abs(o.capacitySpreadAh - peer.answer!.capacitySpreadAh) < 1e-5))
    )
      same++;
  }
  const gap = gaps.reduce((s, g) => s + g, 0) / gaps.length;
  printTable('Plans against HiGHS', [
    {
      what: `Bench plan, ${SMALL} small benches: mean excess over the optimum`,
      ours: `${(100 * gap).toFixed(2)} %`,
      against: 'HiGHS, time-indexed',
      ratio: `at most ${(100 * Math.max(...gaps)).toFixed(1)} %`,
      aim: '≤ 3 %',
      met: gap <= 0.03,
    },
    {
      what: '100 modules × 6 steps × 8 channels, against HiGHS on 6 modules × 6 steps',
      ours: `${hundred.answer.makespanH} h, no plan below ${hundred.answer.lowerBoundH} h`,
      against: `6 modules: ${theirs.answer} h, ours ${ours6.makespanH} h`,
      ratio: `${(hundred.ms / theirs.ms).toFixed(2)} × its time`,
      aim: '≤ 1 ×',
      met: hundred.ms <= theirs.ms,
    },
    {
      what: 'Which of up to 60 for up to 40 places: the same optimum, and how much sooner',
      ours: `${same} of ${asked} the same`,
      against: 'HiGHS, two programmes',
      ratio: `${(theirsMs / oursMs).toFixed(0)} × sooner`,
      aim: 'all, ≥ 10 ×',
      met: same === asked && theirsMs >= 10 * oursMs,
    },
  ]);
}
