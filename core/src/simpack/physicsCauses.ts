import type { Cause, Column } from './discern';
import { aged, capacityOf, inNegativeAt, particleVoltage, type ParticleCell } from './particle';

/** One channel of the physics world, as it really is. */
export interface PhysicsChannel {
  cell: ParticleCell;
  /** Charge below full at the start, A·h. */
  belowFullAh: number;
  temperatureC: number;
  leakA: number;
  /** What its board adds: V, and a share of the reading. */
  offsetV: number;
  gain: number;
  /** The reading never moves. */
  stuck: boolean;
  fixedV: number | null;
}

export interface Course {
  timeS: Float64Array;
  currentA: Float64Array;
}
/** Noise-free voltage of one channel at its terminals, before its board reads it. */
export const volts = (c: PhysicsChannel, { timeS, currentA }: Course): Float64Array =>
  particleVoltage(
    c.cell,
    inNegativeAt(c.cell, c.cell.fullV) - c.belowFullAh,
    timeS,
    currentA,
    c.temperatureC,
    c.leakA,
  );

/** What a channel would show more if one thing were different by one unit: the true model, by differences. */
export function healthyColumns(c: PhysicsChannel, course: Course): Column[] {
  const base = volts(c, course);
  const capacity = capacityOf(c.cell);
  const by = (part: Partial<PhysicsChannel>, unit: number): Float64Array =>
    volts({ ...c, ...part }, course).map((v, k) => (v - base[k]!) / unit);
  return [
    { sd: 0.004, v: by({ belowFullAh: c.belowFullAh + 0.002 * capacity }, 0.002) },
    { sd: 0.006, v: by({ cell: aged(c.cell, 0.01, 0, 0) }, 0.01) },
    { sd: 0.008, v: by({ cell: aged(c.cell, 0, 0.01, 0.005) }, 0.01) },
    { sd: 0.06, v: by({ cell: { ...c.cell, ohmicOhm: c.cell.ohmicOhm * 1.05 } }, 0.05) },
    { sd: 0.06, v: by({ cell: { ...c.cell, exchangeA: c.cell.exchangeA / 1.05 } }, 0.05) },
    { sd: 1e-4, v: by({ leakA: (capacity * 0.001) / 24 }, 0.001) },
    { sd: 0.001, v: new Float64Array(base.length).fill(1) },
    { sd: 0.0005, v: Float64Array.from(base) },
  ];
}

const SHARES = [-0.04, -0.02, 0, 0.02, 0.04, 0.07, 0.1, 0.14, 0.19, 0.25];
const LOSSES = [0, 0.05, 0.1, 0.15, 0.2, 0.26, 0.33];
const TIMES = [1, 1.5, 2.2, 3.2, 5];
const DAILY = [0, 0.004, 0.009, 0.016];

/** What a channel would show for every cause at several sizes. Losses beyond what a cell can lose are left out. */
export function causesOf(c: PhysicsChannel, course: Course): Cause[] {
  const base = volts(c, course);
  const capacity = capacityOf(c.cell);
  const shown = <T>(sizes: readonly T[], change: (size: T) => Partial<PhysicsChannel>): Float64Array[] =>
    sizes.flatMap((size) => {
      const v = volts({ ...c, ...change(size) }, course).map((x, k) => x - base[k]!);
      return v.every(Number.isFinite) ? [v] : [];
    });
  const loss = (lithium: number, negative: number, positive: number): Cause => ({
    of: 'low-capacity',
    shownV: shown(LOSSES, (l) => ({ cell: aged(c.cell, l * lithium, l * negative, l * positive) })),
  });
  return [
    {
      of: 'imbalance',
      shownV: shown(
        SHARES.filter((x) => c.belowFullAh + x * capacity > 0.001 * capacity),
        (x) => ({ belowFullAh: c.belowFullAh + x * capacity }),
      ),
    },
    loss(1, 0, 0),
    loss(0, 1, 0),
    loss(0, 0, 1),
    loss(0.5, 0.5, 0.25),
    {
      of: 'high-resistance',
      shownV: shown(TIMES, (by) => ({ cell: { ...c.cell, ohmicOhm: c.cell.ohmicOhm * by } })),
    },
    {
      of: 'high-resistance',
      shownV: shown(TIMES, (by) => ({
        cell: { ...c.cell, ohmicOhm: c.cell.ohmicOhm * by, exchangeA: c.cell.exchangeA / by },
      })),
    },
    { of: 'self-discharge', shownV: shown(DAILY, (d) => ({ leakA: c.leakA + (capacity * d) / 24 })) },
    { of: 'sense-fault', shownV: [new Float64Array(base.length), new Float64Array(base.length).fill(0.02)] },
  ];
}
