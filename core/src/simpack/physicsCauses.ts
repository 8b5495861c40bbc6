import type { Cause, Column } from './discern';
import type { Course, PhysicsCell } from './physicsCell';

/** One channel of the physics world, as it really is. */
export interface PhysicsChannel {
  cell: PhysicsCell;
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

/** How far healthy channels of a pack lie apart, and how large what goes wrong in them may be. */
export interface Bounds {
  /** One standard deviation: charge as a share of capacity, resistance as a share, leakage a day, V, share of the reading. */
  charge: number;
  resistance: number;
  leakPerDay: number;
  offsetV: number;
  gain: number;
  /** Charge missing, capacity lost, times the resistance, charge lost a day: sizes that are tried. */
  shares: number[];
  losses: number[];
  times: number[];
  daily: number[];
}

/** Noise-free voltage of one channel at its terminals, V at each moment, before its board reads it. */
export const volts = (c: PhysicsChannel, course: Course): Float64Array =>
  c.cell.volts(course, c.belowFullAh, c.temperatureC, c.leakA);

/** The same at the moments at which it is read. */
export function seen(c: PhysicsChannel, course: Course): Float64Array {
  const all = volts(c, course);
  return course.read ? Float64Array.from(course.read, (k) => all[k]!) : all;
}

/** What a channel would show more if one thing were different by one unit: the true model, by differences. */
export function healthyColumns(c: PhysicsChannel, course: Course, bounds: Bounds): Column[] {
  const base = seen(c, course);
  const capacity = c.cell.capacityAh;
  const by = (part: Partial<PhysicsChannel>, unit: number): Float64Array =>
    seen({ ...c, ...part }, course).map((v, k) => (v - base[k]!) / unit);
  return [
    { sd: bounds.charge, v: by({ belowFullAh: c.belowFullAh + 0.002 * capacity }, 0.002) },
    ...c.cell.differs().map(({ sd, unit, cell }) => ({ sd, v: by({ cell }, unit) })),
    { sd: bounds.resistance, v: by({ cell: c.cell.resisting(1.05, 1) }, 0.05) },
    { sd: bounds.resistance, v: by({ cell: c.cell.resisting(1, 1.05) }, 0.05) },
    { sd: bounds.leakPerDay, v: by({ leakA: (capacity * 0.001) / 24 }, 0.001) },
    { sd: bounds.offsetV, v: new Float64Array(base.length).fill(1) },
    { sd: bounds.gain, v: Float64Array.from(base) },
  ];
}

/** What a channel would show for every cause at several sizes. Losses beyond what a cell can lose are left out. */
export function causesOf(c: PhysicsChannel, course: Course, bounds: Bounds): Cause[] {
  const base = seen(c, course);
  const capacity = c.cell.capacityAh;
  const shown = <T>(sizes: readonly T[], change: (size: T) => Partial<PhysicsChannel>): Float64Array[] =>
    sizes.flatMap((size) => {
      const v = seen({ ...c, ...change(size) }, course).map((x, k) => x - base[k]!);
      return v.every(Number.isFinite) ? [v] : [];
    });
  return [
    {
      of: 'imbalance',
      shownV: shown(
        bounds.shares.filter((x) => c.belowFullAh + x * capacity > 0.001 * capacity),
        (x) => ({ belowFullAh: c.belowFullAh + x * capacity }),
      ),
    },
    ...c.cell.lost.map((lost): Cause => ({
      of: 'low-capacity',
      shownV: shown(bounds.losses, (l) => ({ cell: lost(l) })),
    })),
    {
      of: 'high-resistance',
      shownV: shown(bounds.times, (by) => ({ cell: c.cell.resisting(by, 1) })),
    },
    {
      of: 'high-resistance',
      shownV: shown(bounds.times, (by) => ({ cell: c.cell.resisting(by, by) })),
    },
    {
      of: 'self-discharge',
      shownV: shown(bounds.daily, (d) => ({ leakA: c.leakA + (capacity * d) / 24 })),
    },
    { of: 'sense-fault', shownV: [new Float64Array(base.length), new Float64Array(base.length).fill(0.02)] },
  ];
}
