import type { StockPart } from '@cellmend/contract/stock';
import { ageOfData, compatible, MATCH_TOLERANCE } from '@cellmend/core/match';
import { chemistryName, type Pack } from '@cellmend/core/pack';
import { fixed } from '../../ui/words';

/** Why a part cannot go in at all, or cannot be chosen by figures that nobody measured; empty where it can. */
export function leftBecause(s: StockPart, pack: Pack, groups: readonly number[], job: number): string {
  const need = pack.profile;
  // What nobody knows is asked for, not passed.
  if (!s.chemistry) return 'its chemistry is not known';
  if (!s.groupCount) return 'how many groups it has is not known';
  if (s.chemistry !== need.chemistry)
    return `${chemistryName(s.chemistry)}, the pack is ${chemistryName(need.chemistry)}`;
  if (!groups.includes(s.groupCount))
    return `${s.groupCount} groups, ${[...new Set(groups)].join(' or ')} are needed`;
  if (s.revision && need.moduleRevision && s.revision !== need.moduleRevision)
    return `revision ${s.revision}, the pack has ${need.moduleRevision}`;
  const [obstacle] = compatible(s, need.moduleLook ?? {}).obstacles;
  if (obstacle) return obstacle;
  if (s.reserved && s.reserved.job !== job) return `held for job ${s.reserved.job}`;
  if (s.insulationOhm !== null && s.insulationOhm < MATCH_TOLERANCE.insulationOhm)
    return `insulation only ${fixed(s.insulationOhm / 1e6, 1)} MΩ`;
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
