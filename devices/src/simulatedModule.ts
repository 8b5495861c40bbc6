import { factsOf, type Chemistry } from '@cellmend/core/pack';

/** One cell of a simulated module. */
export interface SimulatedCell {
  capacityAh: number;
  /** Charge in it, A·h; below zero it is driven backwards. */
  ah: number;
  ohm: number;
}
/** A module that is not there, as a charger meets it. */
export interface ModuleFacts {
  chemistry: Chemistry;
  cells: SimulatedCell[];
  /** Slow polarisation of one cell: Ω and s. */
  slowOhm: number;
  slowS: number;
  ambientC: number;
  /** J/K and W/K of the whole module. */
  heatJPerK: number;
  coolsWPerK: number;
  /** What every cell loses by itself, A. */
  leakA: number;
  /** A leak that comes with the voltage: none below this, V a cell. */
  leaksAboveV?: number;
  /** Share of the rating that a whole cycle gives back to a NiMH cell that was long unused. */
  gainPerCycle: number;
  ratedAh: number;
}
/** A stick of NiMH cells on a bench at 22 °C, rated 6.5 A·h: what each cell holds and has in it, A·h. */
export const nimhStick = (
  cells: readonly (readonly [capacityAh: number, ah: number])[],
  more: Partial<ModuleFacts> = {},
): ModuleFacts => ({
  chemistry: 'nimh',
  cells: cells.map(([capacityAh, ah]) => ({ capacityAh, ah, ohm: 0.003 })),
  slowOhm: 0.002,
  slowS: 30,
  ambientC: 22,
  heatJPerK: 1000,
  coolsWPerK: 0.5,
  leakA: 0,
  gainPerCycle: 0,
  ratedAh: 6.5,
  ...more,
});
/** Six cells that are alike. */
export const levelStick = (capacityAh: number, ah: number, more: Partial<ModuleFacts> = {}): ModuleFacts =>
  nimhStick(
    Array.from({ length: 6 }, () => [capacityAh, ah] as const),
    more,
  );

/** Where it stands, to go on from. */
export interface ModuleState {
  cells: SimulatedCell[];
  slowV: number;
  temperatureC: number;
  smoked: boolean;
  wasFull: boolean;
}

/** Below its table a lithium cell's voltage falls by this, V a share of its capacity. From memory. */
export const EMPTY_FALLS_V = 40;
/** A cell that is driven beyond empty ends here, as a share. */
const EMPTIEST = { nimh: -0.05, lithium: -0.12 };
/** Integrated in steps of at most this, s. */
const STEP_S = 2;
const SMOKES_C = 12;
const LEAKS_ABOVE_V = 0.5;
/** NiMH: −ΔV is the cell warming while all it is given turns into heat, V/K. From memory. */
const NIMH_V_PER_K = -0.0035;
const REVERSED_V = -0.35;

/** Open-circuit volts of a NiMH cell over its charge: plateau, and a knee at either end. Shape from memory. */
function nimhV(share: number): number {
  if (share < 0) return Math.max(REVERSED_V, 0.9 + share * 60);
  return 1.245 + 0.09 * share - 0.345 * Math.exp(-share / 0.018) + 0.085 * Math.exp((share - 1) / 0.06);
}
/** Share of the charging current that is taken up; the rest recombines to heat. */
const accepts = (share: number): number => 1 / (1 + Math.exp((share - 0.985) / 0.012));

/**
 * A string of unequal cells with resistance, one slow polarisation, heat and, for NiMH, overcharge that turns into heat, −ΔV and
 * reversal of a cell that ran empty. For the demo and for tests: the run that the app judges comes from outside it.
 */
export class SimulatedModule {
  private slowV = 0;
  private wasFull = false;
  temperatureC: number;
  smoked = false;
  private readonly cells: SimulatedCell[];
  private readonly curve: readonly [number, number][] | null;

  constructor(readonly facts: ModuleFacts) {
    this.cells = facts.cells.map((c) => ({ ...c }));
    this.temperatureC = facts.ambientC;
    this.curve = facts.chemistry === 'nimh' ? null : factsOf(facts.chemistry).ocv.table();
  }

  state(): ModuleState {
    return {
      cells: this.cells.map((c) => ({ ...c })),
      slowV: this.slowV,
      temperatureC: this.temperatureC,
      smoked: this.smoked,
      wasFull: this.wasFull,
    };
  }
  restore(s: ModuleState): void {
    s.cells.forEach((c, i) => this.cells[i] && Object.assign(this.cells[i], c));
    this.slowV = s.slowV;
    this.temperatureC = s.temperatureC;
    this.smoked = s.smoked;
    this.wasFull = s.wasFull;
  }

  /** Volts at its terminals while so much flows, V. Discharge is positive. */
  voltageV(currentA: number): number {
    let v = -this.slowV;
    for (const c of this.cells) v += this.restV(c) - currentA * c.ohm;
    return v;
  }
  /** The current that a source which holds this voltage would charge with, A; never negative. */
  chargesAtV(volts: number): number {
    let rest = -this.slowV;
    let ohm = 0;
    for (const c of this.cells) [rest, ohm] = [rest + this.restV(c), ohm + c.ohm];
    return Math.max(0, (volts - rest) / ohm);
  }

  private restV(c: SimulatedCell): number {
    const share = c.ah / c.capacityAh;
    if (!this.curve) return nimhV(share) + NIMH_V_PER_K * (this.temperatureC - 25);
    const t = this.curve;
    if (share <= 0) return Math.max(0, t[0]![1] + share * EMPTY_FALLS_V);
    if (share >= 1) return t.at(-1)![1] + (share - 1) * 12;
    const k = t.findIndex(([s]) => s >= share);
    const [[s0, v0], [s1, v1]] = [t[Math.max(0, k - 1)]!, t[Math.max(k, 1)]!];
    return s1 === s0 ? v1 : v0 + ((share - s0) / (s1 - s0)) * (v1 - v0);
  }

  /** Lets time pass while a current flows. */
  advance(seconds: number, currentA: number): void {
    for (let left = seconds; left > 0; left -= STEP_S) this.pass(Math.min(STEP_S, left), currentA);
  }
  private pass(s: number, currentA: number): void {
    const f = this.facts;
    const nimh = f.chemistry === 'nimh';
    let heatW = 0;
    for (const c of this.cells) {
      const share = c.ah / c.capacityAh;
      const taken = currentA < 0 && nimh ? accepts(share) : 1;
      heatW += currentA * currentA * c.ohm;
      if (currentA < 0) heatW += -currentA * (1 - taken) * Math.max(0.5, this.restV(c));
      // Driven backwards, all of it turns into heat and gas.
      if (share < 0 && currentA > 0) heatW += currentA * 0.4;
      // A leak goes on as long as there is a voltage that drives it.
      c.ah +=
        ((-currentA * taken - (this.restV(c) > (f.leaksAboveV ?? LEAKS_ABOVE_V) ? f.leakA : 0)) * s) / 3600;
      c.ah = Math.max(c.ah, (nimh ? EMPTIEST.nimh : EMPTIEST.lithium) * c.capacityAh);
    }
    heatW += this.slowV * currentA > 0 ? this.slowV * currentA : 0;
    const target = currentA * f.slowOhm * this.cells.length;
    this.slowV += (target - this.slowV) * (1 - Math.exp(-s / f.slowS));
    const settlesC = f.ambientC + heatW / f.coolsWPerK;
    this.temperatureC =
      settlesC + (this.temperatureC - settlesC) * Math.exp((-s * f.coolsWPerK) / f.heatJPerK);
    if (Math.abs(currentA) > SMOKES_C * f.ratedAh) this.smoked = true;
    this.cycles();
  }
  /** A whole cycle gives a long unused cell some of its capacity back. */
  private cycles(): void {
    const f = this.facts;
    const least = Math.min(...this.cells.map((c) => c.ah / c.capacityAh));
    if (least > 0.97) this.wasFull = true;
    if (this.wasFull && least < 0.02) {
      this.wasFull = false;
      for (const c of this.cells) c.capacityAh += Math.max(0, f.gainPerCycle * (f.ratedAh - c.capacityAh));
    }
  }
}
