import { chen2020NegativeV, chen2020PositiveV } from '../pack';
import { DIFFUSION_J, faster, inside, OHMIC_J, partsOf, Sphere, TRANSFER_J, transferScaleV } from './sphere';

/**
 * A cell as two single particles: lithium diffuses in a sphere on either side, half-cell potentials and charge
 * transfer at their surfaces make the voltage. It has no resistor–capacitor pairs and no curve of its own: what the
 * diagnosis supposes of a cell is nowhere in it.
 * Single-particle model as in Guo, Sikha and White, J. Electrochem. Soc. 158 (2011) A122, from memory of that paper;
 * diffusion times and half-cell functions of Chen et al. 2020, likewise.
 */
export interface ParticleCell {
  /** Charge for a stoichiometry from 0 to 1, A·h. */
  negativeAh: number;
  positiveAh: number;
  /** Lithium that cycles, A·h. */
  lithiumAh: number;
  /** Radius squared by diffusivity at 25 °C, s. */
  negativeTauS: number;
  positiveTauS: number;
  /** Exchange current half full at 25 °C, A. */
  exchangeA: number;
  ohmicOhm: number;
  positiveV: (stoichiometry: number) => number;
  negativeV: (stoichiometry: number) => number;
  fullV: number;
  emptyV: number;
}

/**
 * Iron phosphate against lithium, V. Form and coefficients as used by Afshar et al. 2017 (arXiv 1709.03970), from memory.
 */
export const ironPhosphateV = (y: number): number =>
  3.4323 -
  0.8428 * Math.exp(-80.2493 * (1 - y) ** 1.3198) -
  3.247e-6 * Math.exp(20.2645 * (1 - y) ** 3.8003) +
  3.2482e-6 * Math.exp(20.2646 * (1 - y) ** 3.7995);

/**
 * Graphite (mesocarbon microbeads) against lithium, V: another one than the diagnosis knows. Form and coefficients as used by Marquis et al.,
 * J. Electrochem. Soc. 166 (2019) A3693, from memory; it runs over nine tenths of the stoichiometry of the cell here.
 */
export const beadGraphiteV = (stoichiometry: number): number => {
  const x = 0.9 * stoichiometry;
  return (
    0.194 +
    1.5 * Math.exp(-120 * x) +
    0.0351 * Math.tanh((x - 0.286) / 0.083) -
    0.0045 * Math.tanh((x - 0.849) / 0.119) -
    0.035 * Math.tanh((x - 0.9233) / 0.05) -
    0.0147 * Math.tanh((x - 0.5) / 0.034) -
    0.102 * Math.tanh((x - 0.194) / 0.142) -
    0.022 * Math.tanh((x - 0.9) / 0.0164) -
    0.011 * Math.tanh((x - 0.124) / 0.0226) +
    0.0155 * Math.tanh((x - 0.105) / 0.029)
  );
};

/** A new cell of a rated capacity, A·h. */
export function newCell(
  chemistry: 'nmc' | 'lfp',
  ratedAh: number,
  negativeV: (stoichiometry: number) => number = chen2020NegativeV,
): ParticleCell {
  const lfp = chemistry === 'lfp';
  const negativeAh = ratedAh / (lfp ? 0.8 : 0.8735);
  const positiveAh = ratedAh / (lfp ? 0.93 : 0.6423);
  return {
    negativeAh,
    positiveAh,
    lithiumAh: lfp ? 0.83 * negativeAh + 0.02 * positiveAh : 0.9014 * negativeAh + 0.2661 * positiveAh,
    negativeTauS: 1040,
    positiveTauS: lfp ? 1200 : 6800,
    exchangeA: ratedAh,
    ohmicOhm: 0.03 / ratedAh,
    positiveV: lfp ? ironPhosphateV : chen2020PositiveV,
    negativeV,
    fullV: lfp ? 3.6 : 4.2,
    emptyV: 2.5,
  };
}

/** The same cell after losses, each a fraction: of cycling lithium, of negative and of positive material. */
export const aged = (c: ParticleCell, lithium: number, negative: number, positive: number): ParticleCell => ({
  ...c,
  negativeAh: c.negativeAh * (1 - negative),
  positiveAh: c.positiveAh * (1 - positive),
  // Material is lost about half full, with the lithium in it.
  lithiumAh:
    c.lithiumAh * (1 - lithium) - 0.46 * c.negativeAh * negative * 0.5 - 0.55 * c.positiveAh * positive * 0.5,
});

/** Voltage at rest with that much lithium in the negative electrode, A·h. */
export const restV = (c: ParticleCell, inNegativeAh: number): number =>
  c.positiveV((c.lithiumAh - inNegativeAh) / c.positiveAh) - c.negativeV(inNegativeAh / c.negativeAh);

/** Lithium in the negative electrode at a rest voltage, A·h, by bisection: the voltage rises with it. */
export function inNegativeAt(c: ParticleCell, voltageV: number): number {
  let low = Math.max(1e-4 * c.negativeAh, c.lithiumAh - 0.9999 * c.positiveAh);
  let high = Math.min(0.9999 * c.negativeAh, c.lithiumAh - 1e-4 * c.positiveAh);
  for (let k = 0; k < 60; k++) {
    const mid = (low + high) / 2;
    if (restV(c, mid) < voltageV) low = mid;
    else high = mid;
  }
  return (low + high) / 2;
}

/** Capacity between the two end voltages at rest, A·h. */
export const capacityOf = (c: ParticleCell): number => inNegativeAt(c, c.fullV) - inNegativeAt(c, c.emptyV);

/**
 * Terminal voltage of a cell through a course of current, V at each moment. The current of a row flows from the row
 * before to it, positive on discharge; a leak is a current of its own that nobody measures.
 * @param inNegativeAh lithium in the negative electrode at the start, at rest.
 */
export function particleVoltage(
  cell: ParticleCell,
  inNegativeAh: number,
  timeS: ArrayLike<number>,
  currentA: ArrayLike<number>,
  temperatureC: number,
  leakA = 0,
): Float64Array {
  const negative = new Sphere(inNegativeAh / cell.negativeAh);
  const positive = new Sphere((cell.lithiumAh - inNegativeAh) / cell.positiveAh);
  const speed = faster(DIFFUSION_J, temperatureC);
  const exchangeA = cell.exchangeA * faster(TRANSFER_J, temperatureC);
  const ohm = cell.ohmicOhm / faster(OHMIC_J, temperatureC);
  const thermalV = transferScaleV(temperatureC);
  const out = new Float64Array(timeS.length);
  for (let k = 0; k < timeS.length; k++) {
    const i = currentA[k]!;
    const all = i + leakA;
    if (k > 0) {
      const span = timeS[k]! - timeS[k - 1]!;
      const parts = partsOf(span);
      const dt = span / parts;
      // Mean stoichiometry changes by I/Q: three times the surface gradient by the particle's own time.
      const toNegative = -(all * cell.negativeTauS) / speed / (3 * 3600 * cell.negativeAh);
      const toPositive = (all * cell.positiveTauS) / speed / (3 * 3600 * cell.positiveAh);
      for (let p = 0; p < parts; p++) {
        negative.step((dt * speed) / cell.negativeTauS, toNegative);
        positive.step((dt * speed) / cell.positiveTauS, toPositive);
      }
    }
    const [x, y] = [inside(negative.surface), inside(positive.surface)];
    const transfer = (s: number): number =>
      thermalV * Math.asinh(all / (4 * exchangeA * Math.sqrt(s * (1 - s))));
    out[k] = cell.positiveV(y) - cell.negativeV(x) - transfer(x) - transfer(y) - i * ohm;
  }
  return out;
}
