import type { TakenOf } from './age';

/** What a module is to look at, beside chemistry and groups: as its label tells, or a look at it. */
export interface ModuleLook {
  /** Cells side by side in a group: the same look from outside, another capacity. */
  cellsParallel?: number | undefined;
  connector?: string | undefined;
  handedness?: 'left' | 'right' | 'either' | undefined;
  coolantSide?: 'left' | 'right' | 'below' | 'none' | undefined;
}
/** What is known of a donor beside its look. */
export interface DonorLook extends ModuleLook {
  /** What it has been through. */
  history?: 'clean' | 'wet' | 'crashed' | undefined;
  insulationOhm?: number | null | undefined;
  /** When each of its figures was taken. */
  taken?: TakenOf | undefined;
  /** Since when it is known to have been wet, ISO 8601: what was measured before that proves nothing. */
  wetSince?: string | undefined;
}

const same = (a: string, b: string): boolean => a.trim().toLowerCase() === b.trim().toLowerCase();

/** What speaks against a donor at a place, and what has to be looked at. */
export interface Compatibility {
  /** It can never lie there: nobody's signature changes that. */
  cannot: string[];
  /** It is not like the pack's own, and may go in where somebody answers for it. */
  deviates: string[];
  /** Both: why it is not proposed. */
  obstacles: string[];
  /** What the pack asks for and nobody knows of it. */
  asks: string[];
}

/** Why what was measured of a part that was wet proves nothing yet; empty where it does. */
function wetFault(donor: DonorLook): string {
  const measured = donor.taken?.insulationOhm?.at;
  const before =
    measured !== undefined &&
    donor.wetSince !== undefined &&
    new Date(measured).getTime() < new Date(donor.wetSince).getTime();
  if (donor.insulationOhm == null)
    return 'it was wet: dried, and its insulation measured, before it is fitted';
  if (donor.taken && measured === undefined)
    return 'it was wet, and when its insulation was measured nobody knows: dried, and measured again, before it is fitted';
  return before
    ? 'it was wet since its insulation was measured: dried, and measured again, before it is fitted'
    : '';
}

/**
 * Whether a donor can lie where the pack's own module lay, by its look and its history. What the pack asks for and nobody knows of the
 * donor is asked, not passed; what the pack itself does not say is asked of nobody. One out of a crash is not fitted; one that was wet
 * only once its insulation was measured afterwards. Another capacity a group cannot be in series with the rest; a connector, a hand or a
 * coolant side that differ can be got round by somebody who answers for it.
 */
export function compatible(donor: DonorLook, need: ModuleLook): Compatibility {
  const cannot: string[] = [];
  const deviates: string[] = [];
  const asks: string[] = [];
  if (need.cellsParallel !== undefined) {
    if (donor.cellsParallel === undefined) asks.push('its cells in parallel');
    else if (donor.cellsParallel !== need.cellsParallel)
      cannot.push(
        `${donor.cellsParallel} cells in parallel, the pack has ${need.cellsParallel}: the same look, another capacity`,
      );
  }
  if (need.connector) {
    if (!donor.connector) asks.push('its connector');
    else if (!same(donor.connector, need.connector))
      deviates.push(`connector ${donor.connector}, the pack has ${need.connector}`);
  }
  for (const [key, name] of [
    ['handedness', 'handed'],
    ['coolantSide', 'coolant side'],
  ] as const) {
    const wanted = need[key];
    if (wanted === undefined || wanted === 'either') continue;
    const has = donor[key];
    if (has === undefined) asks.push(key === 'handedness' ? 'its handedness' : 'its coolant side');
    else if (has !== wanted && has !== 'either')
      deviates.push(
        key === 'handedness'
          ? `${has} ${name}, the pack has ${wanted}`
          : `${name} ${has}, the pack has it ${wanted}`,
      );
  }
  if (donor.history === 'crashed') cannot.push('out of a crash: not fitted');
  else if (donor.history === 'wet') {
    const fault = wetFault(donor);
    if (fault !== '') cannot.push(fault);
  } else if (donor.history === undefined) asks.push('whether it was wet or crashed');
  return { cannot, deviates, obstacles: [...cannot, ...deviates], asks };
}
