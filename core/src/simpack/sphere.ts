const SHELLS = 14;
const GAS = 8.314462618;
const FARADAY = 96485.33212;
const KELVIN = 273.15;
/** Energies of activation, J/mol: diffusion, charge transfer, electrolyte. From memory, order of magnitude. */
export const DIFFUSION_J = 30e3;
export const TRANSFER_J = 35e3;
export const OHMIC_J = 12e3;
/** How much faster something goes than at 25 °C (Arrhenius). */
export const faster = (energyJ: number, temperatureC: number): number =>
  Math.exp((energyJ / GAS) * (1 / 298.15 - 1 / (temperatureC + KELVIN)));

/** 2RT/F, V: the scale of charge transfer with equal coefficients. */
export const transferScaleV = (temperatureC: number): number => (2 * GAS * (temperatureC + KELVIN)) / FARADAY;

/** Shells that grow thinner towards the surface, where a step of current is felt first. */
const EDGES = Float64Array.from({ length: SHELLS + 1 }, (_, k) => 1 - (1 - k / SHELLS) ** 2);
const VOLUMES = Float64Array.from({ length: SHELLS }, (_, k) => (EDGES[k + 1]! ** 3 - EDGES[k]! ** 3) / 3);
const CENTRES = Float64Array.from({ length: SHELLS }, (_, k) => (EDGES[k]! + EDGES[k + 1]!) / 2);
/** What flows through an edge for a difference of one between the shells beside it. */
const FLOWS = Float64Array.from({ length: SHELLS + 1 }, (_, k) =>
  k === 0 || k === SHELLS ? 0 : EDGES[k]! ** 2 / (CENTRES[k]! - CENTRES[k - 1]!),
);

/** Diffusion in one sphere by finite volumes, implicit in time; radius and time in units of the particle's own. */
export class Sphere {
  private readonly theta: Float64Array;
  private readonly upper = new Float64Array(SHELLS);
  private readonly inner = new Float64Array(SHELLS);
  /** One over the pivots. */
  private readonly scale = new Float64Array(SHELLS);
  private readonly right = new Float64Array(SHELLS);
  /** The step for which the matrix was taken apart last: it is the same one after the other. */
  private dt = NaN;
  private surfaceShare = 0;
  /** Surface gradient, stoichiometry per radius, that was set last. */
  private gradient = 0;

  constructor(start: number) {
    this.theta = new Float64Array(SHELLS).fill(start);
  }

  get surface(): number {
    return this.theta[SHELLS - 1]! + this.gradient * (1 - CENTRES[SHELLS - 1]!);
  }

  /** One step of `dt` (time by the particle's own) with a surface gradient. */
  step(dt: number, gradient: number): void {
    this.gradient = gradient;
    if (dt !== this.dt) this.takeApart(dt);
    const { theta, upper, inner, scale, right } = this;
    let before = theta[0]! * scale[0]!;
    right[0] = before;
    for (let k = 1; k < SHELLS - 1; k++) {
      before = (theta[k]! + inner[k]! * before) * scale[k]!;
      right[k] = before;
    }
    const last = SHELLS - 1;
    let after = (theta[last]! + gradient * this.surfaceShare + inner[last]! * before) * scale[last]!;
    theta[last] = after;
    for (let k = last - 1; k >= 0; k--) {
      after = right[k]! + upper[k]! * after;
      theta[k] = after;
    }
  }

  /** The tridiagonal matrix of a step, by elimination (Thomas). */
  private takeApart(dt: number): void {
    const { upper, inner, scale } = this;
    this.dt = dt;
    for (let k = 0; k < SHELLS; k++) {
      const share = dt / VOLUMES[k]!;
      inner[k] = FLOWS[k]! * share;
      const outer = FLOWS[k + 1]! * share;
      scale[k] = 1 / (1 + inner[k]! + outer - (k === 0 ? 0 : inner[k]! * upper[k - 1]!));
      upper[k] = outer * scale[k]!;
    }
    this.surfaceShare = dt / VOLUMES[SHELLS - 1]!;
  }
}

/** A stoichiometry as far from empty and full as its logarithm bears. */
export const inside = (s: number): number => Math.min(0.9995, Math.max(0.0005, s));

/** Steps of a span, s: three a row, none over 3 s, but no more than forty a row: days at rest need no finer ones. */
export const partsOf = (spanS: number): number => Math.min(40, Math.max(3, Math.ceil(spanS / 3)));
