import type { Series } from '../scan';

/** Readings on either side of one that its value is the middle of: one glitch of a signal is no reading. */
const BESIDE = 2;
/** A low that lasts counts for itself where it is below this share of the middle one. */
const FELL_TO = 0.5;

const middleOf = (values: readonly number[]): number => {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[sorted.length >> 1]!;
};

/**
 * What a record says of the vehicle's own insulation figure: its middle, at its end; and before it the lowest that lasted for several readings, where
 * that is less than half of it. Readings of 0 Ω at the start are a monitor that has not measured yet.
 * @param insulation Ω over s; NaN where nothing was read
 * @returns moments in s of the record with their Ω, in order; empty where nothing was read
 */
export function vehicleFiguresOf(insulation: Series): { atS: number; ohm: number }[] {
  const read = Array.from(insulation.value, (ohm, i) => ({ ohm, atS: insulation.timeS[i]! })).filter(
    ({ ohm }) => !Number.isNaN(ohm),
  );
  const begins = read.findIndex((r) => r.ohm > 0);
  const measured = begins < 0 ? read : read.slice(begins);
  if (measured.length === 0) return [];
  const middle = { atS: measured.at(-1)!.atS, ohm: middleOf(measured.map((r) => r.ohm)) };
  const lasting = measured.map(({ atS }, i) => ({
    atS,
    ohm: middleOf(measured.slice(Math.max(0, i - BESIDE), i + BESIDE + 1).map((r) => r.ohm)),
  }));
  const lowest = lasting.reduce((a, b) => (b.ohm < a.ohm ? b : a));
  return lowest.ohm < FELL_TO * middle.ohm ? [lowest, middle] : [middle];
}
