import { DIFFUSION_J, faster, inside, OHMIC_J, partsOf, Sphere, TRANSFER_J, transferScaleV } from './sphere';

/**
 * A nickel–metal hydride cell as two single particles: protons diffuse in nickel hydroxide, hydrogen in the alloy, and the
 * voltage of the nickel electrode remembers where it comes from. It has no curve of its own: after a charge it rests
 * higher than after a discharge, and a turn of the current walks from one branch to the other.
 * Equations of diffusion and transfer as for lithium; the nickel electrode by Nernst with an interaction, the alloy by the slope
 * of its pressure plateau; hysteresis as a state that follows the charge that flows (form of Verbrugge and Tate, J. Power Sources 126 (2004) 236,
 * from memory). Sizes are from memory, order of magnitude: those of 6 A·h cells of hybrids.
 */
export interface NickelCell {
  /** Charge for a stoichiometry from 0 to 1, A·h: nickel hydroxide and alloy. */
  positiveAh: number;
  negativeAh: number;
  /** Radius squared by diffusivity at 25 °C, s. */
  positiveTauS: number;
  negativeTauS: number;
  /** Exchange current half full at 25 °C, A. */
  exchangeA: number;
  ohmicOhm: number;
  /** Half of what lies between the branch after a charge and the one after a discharge, V. */
  branchV: number;
  /** How much of the way to the other branch: e-folds for all of the nickel hydroxide. */
  turns: number;
  /** What the cell uses up by itself at 25 °C and 1.33 V, A: oxygen, more of it the higher the voltage. */
  oxygenA: number;
}

/** Protons in nickel hydroxide, hydrogen in the alloy, of a full cell; protons of an empty one. */
const FULL = { positive: 0.04, negative: 0.85 };
const EMPTY_POSITIVE = 0.97;
/** The alloy is empty where its knee begins: only one that has lost much ever is. */
const EMPTY_NEGATIVE = 0.08;
const OXYGEN_AT_V = 1.33;
const OXYGEN_SCALE_V = 0.08;
const NERNST_V = transferScaleV(25) / 2;

/** A new cell of a rated capacity, A·h. */
export const newNickelCell = (ratedAh: number): NickelCell => ({
  positiveAh: ratedAh / (EMPTY_POSITIVE - FULL.positive),
  negativeAh: 1.5 * ratedAh,
  positiveTauS: 1200,
  negativeTauS: 700,
  exchangeA: 6.5 * ratedAh,
  ohmicOhm: 0.0045 / ratedAh,
  branchV: 0.02,
  turns: 14,
  oxygenA: (0.006 * ratedAh) / 24,
});

/** The same cell after losses of nickel hydroxide and of alloy, each a fraction. */
export const wornNickel = (c: NickelCell, positive: number, negative: number): NickelCell => ({
  ...c,
  positiveAh: c.positiveAh * (1 - positive),
  negativeAh: c.negativeAh * (1 - negative),
});

/** What a full cell gives until one of its electrodes is empty, A·h. */
export const nickelCapacity = (c: NickelCell): number =>
  Math.min(c.positiveAh * (EMPTY_POSITIVE - FULL.positive), c.negativeAh * (FULL.negative - EMPTY_NEGATIVE));

const logit = (s: number): number => Math.log(s / (1 - s));
/** Nickel hydroxide, midway between its branches, by its protons; against an alloy half full. */
const positiveV = (protons: number): number => 1.302 - NERNST_V * logit(protons) + 0.018 * (1 - 2 * protons);
/** How far the alloy lies above the potential it has half full: falls with its hydrogen. */
const negativeV = (hydrogen: number): number =>
  -(NERNST_V / 2) * (1.5 * (hydrogen - 0.5) + 0.4 * logit(hydrogen));

/** Voltage at rest, V, so much below full, A·h, on a branch from −1 (after a discharge) to 1 (after a charge). */
export const nickelRestV = (c: NickelCell, belowFullAh: number, branch: number): number =>
  positiveV(inside(FULL.positive + belowFullAh / c.positiveAh)) -
  negativeV(inside(FULL.negative - belowFullAh / c.negativeAh)) +
  c.branchV * branch;

/**
 * Terminal voltage through a course of current, V at each moment. The current of a row flows from the row before to it,
 * positive on discharge; a leak is a current of its own that nobody measures.
 * @param belowFullAh charge below full at the start, at rest; `branch` where its voltage comes from, −1 to 1
 */
export function nickelVoltage(
  cell: NickelCell,
  belowFullAh: number,
  branch: number,
  timeS: ArrayLike<number>,
  currentA: ArrayLike<number>,
  temperatureC: number,
  leakA = 0,
): Float64Array {
  const positive = new Sphere(FULL.positive + belowFullAh / cell.positiveAh);
  const negative = new Sphere(FULL.negative - belowFullAh / cell.negativeAh);
  const speed = faster(DIFFUSION_J, temperatureC);
  const exchangeA = cell.exchangeA * faster(TRANSFER_J, temperatureC);
  const oxygenA = cell.oxygenA * faster(TRANSFER_J, temperatureC);
  const ohm = cell.ohmicOhm / faster(OHMIC_J, temperatureC);
  const scaleV = transferScaleV(temperatureC);
  const out = new Float64Array(timeS.length);
  let on = branch;
  let below = belowFullAh;
  for (let k = 0; k < timeS.length; k++) {
    const i = currentA[k]!;
    let all = i + leakA;
    if (k > 0) {
      const span = timeS[k]! - timeS[k - 1]!;
      // Oxygen goes by the voltage at rest: within a row it hardly changes.
      all += oxygenA * Math.exp((nickelRestV(cell, below, on) - OXYGEN_AT_V) / OXYGEN_SCALE_V);
      const parts = partsOf(span);
      const dt = (span / parts) * speed;
      const toPositive = (all * cell.positiveTauS) / speed / (3 * 3600 * cell.positiveAh);
      const toNegative = -(all * cell.negativeTauS) / speed / (3 * 3600 * cell.negativeAh);
      for (let p = 0; p < parts; p++) {
        positive.step(dt / cell.positiveTauS, toPositive);
        negative.step(dt / cell.negativeTauS, toNegative);
      }
      const flowsAh = (all * span) / 3600;
      const towards = flowsAh > 0 ? -1 : 1;
      on = towards + (on - towards) * Math.exp((-cell.turns * Math.abs(flowsAh)) / cell.positiveAh);
      below += flowsAh;
    }
    const [y, x] = [inside(positive.surface), inside(negative.surface)];
    const transfer = (s: number): number =>
      scaleV * Math.asinh(all / (4 * exchangeA * Math.sqrt(s * (1 - s))));
    out[k] = positiveV(y) - negativeV(x) + cell.branchV * on - transfer(y) - transfer(x) - i * ohm;
  }
  return out;
}
