import { defaultOcvTable, type Chemistry, type PackProfile } from '@cellmend/core/pack';
import type { Random } from '@cellmend/core/simpack';
import type { Lie, LyingRun } from './lying';
import type { ModuleFacts } from './simulatedModule';

/** Recipes that put current through a module, by what it is. */
export const RECIPES = (chemistry: Chemistry): string[] =>
  chemistry === 'nimh'
    ? ['capacity', 'hard-charge', 'nimh-rated', 'slow-balance', 'give', 'take']
    : ['capacity', 'give', 'take', 'recover'];

/** One module and one wrong instrument, drawn at random. */
export function lyingRun(random: Random, chemistry: Chemistry, recipe: string, lie: Lie): LyingRun {
  const nimh = chemistry === 'nimh';
  const cells = nimh ? 6 : random.integer(2, 6);
  const ratedAh = nimh ? 6.5 : random.pick([37, 64, 102]);
  const profile: PackProfile = {
    name: 'of no real vehicle',
    chemistry,
    ratedCapacityAh: ratedAh,
    channels: [{ id: 'ch1', cells }],
    modules: [{ id: 'M01', channels: ['ch1'], place: { tier: 0, row: 0, column: 0 } }],
    nominalGroupResistanceMilliohm: nimh ? 3 : 60 / ratedAh,
    ocv: defaultOcvTable(chemistry),
    links: [],
    ratedRangeKm: 200,
  };
  // A taker and a charge begin part full, a giver nearly full, what is recovered all but empty.
  const share =
    recipe === 'give'
      ? random.uniform(0.85, 0.98)
      : recipe === 'recover'
        ? random.uniform(-0.018, -0.01)
        : random.uniform(0.05, nimh ? 0.3 : 0.6);
  const facts: ModuleFacts = {
    chemistry,
    cells: Array.from({ length: cells }, () => {
      const capacityAh = ratedAh * random.uniform(0.93, 1.02);
      return {
        capacityAh,
        ah: capacityAh * (share + random.uniform(-0.004, 0.004)),
        ohm: nimh ? random.uniform(0.002, 0.005) : random.uniform(0.04, 0.2) / ratedAh,
      };
    }),
    slowOhm: nimh ? 0.002 : 0.03 / ratedAh,
    slowS: 30,
    ambientC: 22,
    heatJPerK: (nimh ? 1000 : 60 * ratedAh) * (nimh ? 1 : cells / 4),
    coolsWPerK: nimh ? 0.5 : 3,
    leakA: 0,
    gainPerCycle: 0,
    ratedAh,
  };
  return {
    profile,
    cells,
    recipe,
    facts,
    lie,
    afterS: random.uniform(5, 5400),
    everyS: random.pick([1, 2, 5, 10]),
    random: () => random.uniform(),
  };
}
