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

/**
 * Whether a donor can lie where the pack's own module lay. What the pack asks for and nobody knows of the donor is asked, not passed;
 * what the pack itself does not say is asked of nobody. One out of a crash is not fitted; one that was wet only once its insulation
 * was measured afterwards.
 */
export function compatible(donor: DonorLook, need: ModuleLook): { obstacles: string[]; asks: string[] } {
  const obstacles: string[] = [];
  const asks: string[] = [];
  if (need.cellsParallel !== undefined) {
    if (donor.cellsParallel === undefined) asks.push('its cells in parallel');
    else if (donor.cellsParallel !== need.cellsParallel)
      obstacles.push(
        `${donor.cellsParallel} cells in parallel, the pack has ${need.cellsParallel}: the same look, another capacity`,
      );
  }
  if (need.connector) {
    if (!donor.connector) asks.push('its connector');
    else if (!same(donor.connector, need.connector))
      obstacles.push(`connector ${donor.connector}, the pack has ${need.connector}`);
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
      obstacles.push(
        key === 'handedness'
          ? `${has} ${name}, the pack has ${wanted}`
          : `${name} ${has}, the pack has it ${wanted}`,
      );
  }
  if (donor.history === 'crashed') obstacles.push('out of a crash: not fitted');
  else if (donor.history === 'wet') {
    const measured = donor.taken?.insulationOhm?.at;
    const before =
      measured !== undefined &&
      donor.wetSince !== undefined &&
      new Date(measured).getTime() < new Date(donor.wetSince).getTime();
    if (donor.insulationOhm == null)
      obstacles.push('it was wet: dried, and its insulation measured, before it is fitted');
    else if (donor.taken && measured === undefined)
      obstacles.push(
        'it was wet, and when its insulation was measured nobody knows: dried, and measured again, before it is fitted',
      );
    else if (before)
      obstacles.push(
        'it was wet since its insulation was measured: dried, and measured again, before it is fitted',
      );
  } else if (donor.history === undefined) asks.push('whether it was wet or crashed');
  return { obstacles, asks };
}
