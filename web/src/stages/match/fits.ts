import type { StockPart } from '@cellmend/contract/stock';
import { ageOfData, compatible, mayGoIn } from '@cellmend/core/match';
import type { Pack } from '@cellmend/core/pack';

/** Why a part cannot go in at all, or cannot be chosen by figures that nobody measured; empty where it can. */
export function leftBecause(s: StockPart, pack: Pack, groups: readonly number[], job: number): string {
  // What nobody knows is asked for, not passed.
  const { chemistry, moduleRevision, moduleLook } = pack.profile;
  const groupCount = groups.find((g) => g === s.groupCount) ?? groups[0] ?? 0;
  const need = { chemistry, groupCount, revision: moduleRevision, look: moduleLook };
  const [obstacle] = mayGoIn(s, need).obstacles;
  if (obstacle) return obstacle;
  if (s.reserved && s.reserved.job !== job) return `held for job ${s.reserved.job}`;
  if (s.capacityAh === null) return 'its capacity is not measured: a run on the bench';
  if (s.resistanceMilliohm === null) return 'its resistance is not measured';
  return '';
}

/** What of a part that goes in is not known, and should be looked at before it does. */
export const openFacts = (s: StockPart, pack: Pack): string[] => [
  ...(pack.profile.moduleRevision && !s.revision ? ['its revision'] : []),
  ...compatible(s, pack.profile.moduleLook ?? {}).asks,
  ...(s.insulationOhm === null ? ['its insulation'] : []),
  ...(s.restVoltageV === null ? ['its rest voltage'] : []),
  ...ageOfData(s, s.taken, new Date()).asks,
];

/** Figures of a part that are too old to go by: `rest voltage 5 weeks old`. */
export const oldFigures = (s: StockPart): string[] =>
  ageOfData(s, s.taken, new Date()).old.map((o) => o.short);
