import type { MapChecked } from './scans';

/** Another map than the one drawn is left open from this share of the odds on. */
const OPEN_SHARE = 0.05;

/** Two maps fit what was metered: which module a channel belongs to is not settled, and none is named. */
export const isMapOpen = (check: MapChecked | null | undefined): boolean =>
  check != null &&
  check.verdict !== 'proven' &&
  check.odds.some((o) => o.says !== 'as drawn' && o.share >= OPEN_SHARE);
