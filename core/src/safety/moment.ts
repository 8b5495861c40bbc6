/**
 * A moment as a machine saw it: its wall clock, and how long it had been up. Two moments of one boot are apart by what
 * the machine counted, whatever somebody did to the wall clock meanwhile.
 */
export interface Moment {
  wallMs: number;
  /** Which boot of which machine; null where not known. */
  bootId: string | null;
  /** Seconds since that boot, sleep included. */
  upS: number | null;
}

/** Clock and machine may drift apart by this much before the clock counts as set. From memory. */
export const JUMP_S = 120;

export interface Elapsed {
  /** Seconds that surely went by, and that may have at most. */
  leastS: number;
  mostS: number;
  /** How far the wall clock was set in between, s: positive is forward. 0 where nothing can be told. */
  jumpS: number;
}

/** Time from one moment to a later one; a wall clock that ran backwards counts as a jump. */
export function elapsed(from: Moment, to: Moment): Elapsed {
  const wallS = (to.wallMs - from.wallMs) / 1000;
  const same = from.bootId !== null && from.bootId === to.bootId && from.upS !== null && to.upS !== null;
  if (!same) return { leastS: wallS, mostS: Math.max(0, wallS), jumpS: wallS < -1 ? wallS : 0 };
  const upS = to.upS! - from.upS!;
  const jumpS = wallS - upS;
  return { leastS: upS, mostS: Math.max(wallS, upS), jumpS: Math.abs(jumpS) > JUMP_S ? jumpS : 0 };
}
