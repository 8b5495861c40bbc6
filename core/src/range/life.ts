import type { Span } from '../cost';

/** Share of a pack's life that distance and years have used, and what is left, by simple subtraction. */
export interface LifeBySubtraction {
  distanceShare: number;
  calendarShare: number;
  leftShare: number;
}

/** A pack is said to last this many full cycles, and to lose this much a year. Common practice, no source. */
const CYCLES = 1000;
const PER_YEAR = 0.03;

/**
 * Life left by subtraction: 100 % − distance / (rated range × 1000 cycles) − 3 % a year. Common practice, no source.
 * `lifeBySubtraction(78_000, 107, 8)` leaves 3 %. Distance and range in the same unit.
 */
export function lifeBySubtraction(distance: number, ratedRange: number, years: number): LifeBySubtraction {
  const distanceShare = distance / (ratedRange * CYCLES);
  const calendarShare = years * PER_YEAR;
  return { distanceShare, calendarShare, leftShare: Math.max(0, 1 - distanceShare - calendarShare) };
}

/**
 * Years left by subtraction at `perYear` of distance, with the span that the trade's figures have: 750 to 1500 full cycles,
 * 2 to 4 % a year; common practice, no source. Distances and range in the same unit.
 */
export function yearsBySubtraction(
  distance: number,
  ratedRange: number,
  years: number,
  perYear: number,
): Span {
  const left = (cycles: number, aYear: number): number =>
    Math.max(0, 1 - distance / (ratedRange * cycles) - years * aYear) /
    (perYear / (ratedRange * cycles) + aYear);
  return { low: left(750, 0.04), likely: left(CYCLES, PER_YEAR), high: left(1500, 0.02) };
}

/** Years left if the loss so far goes on in a straight line: sooner than with the square root of time. */
export const yearsInLine = (health: number, years: number, endHealth = END_OF_LIFE_HEALTH): number =>
  Math.max(0, Math.min(30, years * ((1 - endHealth) / Math.max(0.01, 1 - health) - 1)));

/** Years left by measured health, with an interval of one standard deviation of the measurement. */
export interface LifeByHealth {
  health: number;
  yearsLeft: number;
  fromYears: number;
  toYears: number;
}

/** Health at which a traction pack is usually called worn out. Common practice, no source. */
export const END_OF_LIFE_HEALTH = 0.7;

/**
 * Years left by measured health: the loss so far is taken to have grown with the square root of time, as calendar
 * ageing does (from memory of the ageing literature), and goes on so until the end-of-life health.
 * @param health capacity over rated, fraction, with its standard deviation `healthSd`.
 */
export function lifeByHealth(
  health: number,
  healthSd: number,
  years: number,
  endHealth = END_OF_LIFE_HEALTH,
): LifeByHealth {
  const left = (h: number): number => {
    const lost = Math.max(0.01, 1 - h);
    return Math.max(0, Math.min(30, years * (((1 - endHealth) / lost) ** 2 - 1)));
  };
  return {
    health,
    yearsLeft: left(health),
    fromYears: left(health - healthSd),
    toYears: left(health + healthSd),
  };
}
