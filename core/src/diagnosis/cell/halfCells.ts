import {
  chen2020NegativeV,
  chen2020PositiveV,
  factsOf,
  ocvCurve,
  type Chemistry,
  type OcvCurve,
} from '../../pack';
import { minimise } from '../../numerics/levenbergMarquardt';
import { accumulate } from '../../numerics/linearAlgebra';

/**
 * The negative electrode of the typical cell over the charge of the cell, by even steps: V against lithium at `FROM + i / PER_SOC`, and its
 * slope, V per unit of charge. A cell that has lost lithium has it at another charge of the positive one than the others.
 */
export interface NegativeElectrode {
  volt: Float64Array;
  slope: Float64Array;
  /** How far the half cells it is taken from lie beside the table, V: other ones would lie closer. */
  misfitV: number;
}

/** Where the samples begin and end, share of charge: a cell that lost a third of its lithium has to be found in them. */
export const FROM = -0.4;
const TO = 1.1;
export const PER_SOC = 2048;
const COUNT = Math.round((TO - FROM) * PER_SOC);
/** Samples to either side that a point is the mean of. */
const SMOOTH = 10;

/** Two half cells whose potentials are published, and where a cell usually runs in them when it is full. */
interface HalfCells {
  positiveV: (y: number) => number;
  negativeV: (x: number) => number;
  /** Stoichiometry of either electrode when full, and how far it is from there when empty. */
  usual: { negative: number; negativeSpan: number; positive: number; positiveSpan: number };
}

/**
 * NMC532 and graphite. Form and coefficients of Mohtat et al., J. Electrochem. Soc. 167 (2020) 110561, from memory.
 */
export const mohtat2020PositiveV = (y: number): number =>
  4.3452 -
  1.6518 * y +
  1.6225 * y ** 2 -
  2.0843 * y ** 3 +
  3.5146 * y ** 4 -
  2.2166 * y ** 5 -
  0.5623e-4 * Math.exp(109.451 * y - 100.006);
export const mohtat2020NegativeV = (x: number): number =>
  0.063 +
  0.8 * Math.exp(-75 * (x + 0.007)) -
  0.012 * Math.tanh((x - 0.127) / 0.016) -
  0.0118 * Math.tanh((x - 0.155) / 0.016) -
  0.0035 * Math.tanh((x - 0.22) / 0.02) -
  0.0095 * Math.tanh((x - 0.19) / 0.013) -
  0.0145 * Math.tanh((x - 0.49) / 0.02) -
  0.08 * Math.tanh((x - 1.03) / 0.055);

const KNOWN: HalfCells[] = [
  {
    positiveV: mohtat2020PositiveV,
    negativeV: mohtat2020NegativeV,
    usual: { negative: 0.8, negativeSpan: 0.78, positive: 0.06, positiveSpan: 0.8 },
  },
  {
    positiveV: chen2020PositiveV,
    negativeV: chen2020NegativeV,
    usual: { negative: 0.86, negativeSpan: 0.82, positive: 0.27, positiveSpan: 0.63 },
  },
];
/** How far a pack's cell runs from there, one standard deviation; from memory: what ageing and makers differ by. */
const USUAL_SD = 0.08;
/** What a table in a workshop lies beside the half cells by, V a point, and as a whole (it was taken under current). From memory. */
const TABLE_V = 0.006;
const TABLE_LEVEL_V = 0.015;
/** Half cells that lie further beside the curve than this, V, are not those of this pack. */
const STRANGE_V = 0.012;
const POINTS = { from: 0.03, to: 0.99 };
/** Fewer points of a table tell no electrode. */
const FEWEST_POINTS = 8;

/** How far a stoichiometry is moved to see what a half cell does there. */
const NUDGE = 1e-5;

interface FittedHalves {
  misfitV: number;
  at: (soc: number) => number;
}

/** Where on a pair of half cells a rest curve runs, by least squares with what is usual as prior. */
function fitHalves(curve: OcvCurve, half: HalfCells, soc: readonly number[]): FittedHalves {
  const { usual } = half;
  const mean = [usual.negative, usual.negativeSpan, usual.positive, usual.positiveSpan, 0];
  const sd = [USUAL_SD, USUAL_SD, USUAL_SD, USUAL_SD, TABLE_LEVEL_V];
  const told = soc.map((s) => curve.voltageAt(s));
  const onPositive = (t: Float64Array, s: number): number => t[2]! + t[3]! * (1 - s);
  const onNegative = (t: Float64Array, s: number): number => t[0]! - t[1]! * (1 - s);
  // At the place that was last looked at.
  const positiveV = new Float64Array(soc.length);
  const negativeV = new Float64Array(soc.length);
  const leftV = new Float64Array(soc.length);
  const look = (t: Float64Array): void => {
    soc.forEach((s, i) => {
      positiveV[i] = half.positiveV(within(onPositive(t, s)));
      negativeV[i] = half.negativeV(within(onNegative(t, s)));
      leftV[i] = told[i]! - (positiveV[i]! - negativeV[i]! + t[4]!);
    });
  };
  const theta = Float64Array.from(mean);
  const row = new Float64Array(mean.length);
  minimise(
    {
      cost: (t) => {
        look(t);
        return (
          leftV.reduce((sum, r) => sum + (r / TABLE_V) ** 2, 0) +
          mean.reduce((sum, m, j) => sum + ((t[j]! - m) / sd[j]!) ** 2, 0)
        );
      },
      normal: (t, info, rhs) => {
        info.fill(0);
        rhs.fill(0);
        mean.forEach((m, j) => {
          info[j * (mean.length + 1)] = sd[j]! ** -2;
          rhs[j] = (m - t[j]!) / sd[j]! ** 2;
        });
        soc.forEach((s, i) => {
          const byPositive = (half.positiveV(within(onPositive(t, s) + NUDGE)) - positiveV[i]!) / NUDGE;
          const byNegative = (half.negativeV(within(onNegative(t, s) + NUDGE)) - negativeV[i]!) / NUDGE;
          row[0] = -byNegative;
          row[1] = (1 - s) * byNegative;
          row[2] = byPositive;
          row[3] = (1 - s) * byPositive;
          row[4] = 1;
          accumulate(info, rhs, row, leftV[i]!, TABLE_V ** -2);
        });
      },
    },
    theta,
    { steps: 30, damping: 1e-2 },
  );
  look(theta);
  return {
    misfitV: Math.sqrt(leftV.reduce((sum, r) => sum + r * r, 0) / soc.length),
    at: (s) => half.negativeV(onNegative(theta, s)),
  };
}

const within = (x: number): number => Math.min(0.999, Math.max(0.002, x));
/** The published half cells, those that lie closest to a curve first. */
export const halvesOf = (
  curve: OcvCurve,
  soc: readonly number[],
): { half: HalfCells; fitted: FittedHalves }[] =>
  KNOWN.map((half) => ({ half, fitted: fitHalves(curve, half, soc) })).sort(
    (a, b) => a.fitted.misfitV - b.fitted.misfitV,
  );

/**
 * The negative electrode behind a rest curve: that of the published half cells which lie closest, if any lies close. Of a flat curve every step is the
 * negative electrode's, so that charge which is missing and lithium which is lost look alike: it says nothing of its own there.
 * @param table the curve's own points
 * @returns null where no electrode is known for it (NiMH, a flat curve, or one of another kind).
 */
export function negativeBehind(
  curve: OcvCurve,
  chemistry: Chemistry,
  table: readonly (readonly [number, number])[],
): NegativeElectrode | null {
  const { flat, conditioning } = factsOf(chemistry);
  if (conditioning || flat) return null;
  // Between the points of a table lies a straight line and no cell.
  const points = table.map(([s]) => s).filter((s) => s > POINTS.from && s < POINTS.to);
  const fits = halvesOf(curve, points);
  const { fitted } = fits[0]!;
  return points.length < FEWEST_POINTS || fitted.misfitV > STRANGE_V
    ? null
    : { ...sampled(fitted.at), misfitV: fitted.misfitV };
}

/** Charge above which a flat curve rises by its positive electrode. From memory. */
const FLAT_END = 0.92;

/**
 * The negative electrode of a cell with a flat curve: below its end the positive one is level, and every step is the negative one's.
 */
export function negativeOfFlat(curve: OcvCurve): NegativeElectrode {
  const endV = curve.voltageAt(FLAT_END);
  const first = curve.slopeAt(0);
  const at = (s: number): number =>
    s < 0 ? curve.voltageAt(0) + first * s : curve.voltageAt(Math.min(s, FLAT_END));
  return { ...sampled((s) => endV - at(s)), misfitV: 0 };
}

function sampled(of: (soc: number) => number): Pick<NegativeElectrode, 'volt' | 'slope'> {
  const volt = new Float64Array(COUNT + 1);
  for (let i = COUNT; i >= 0; i--) {
    const v = of(FROM + i / PER_SOC);
    // It never rises with the lithium in it; and it goes on as steeply as it was where no function is good.
    volt[i] = i === COUNT ? v : Math.max(volt[i + 1]!, v);
  }
  const most = 12 / PER_SOC;
  for (let i = COUNT - 1; i >= 0; i--) volt[i] = Math.min(volt[i]!, volt[i + 1]! + most);
  // Each point the mean of a stretch: a table is a chain of straight pieces, an electrode is not.
  const sum = new Float64Array(COUNT + 2);
  for (let i = 0; i <= COUNT; i++) sum[i + 1] = sum[i]! + volt[i]!;
  const smooth = Float64Array.from(volt, (_, i) => {
    const reach = Math.min(SMOOTH, i, COUNT - i);
    return (sum[i + reach + 1]! - sum[i - reach]!) / (2 * reach + 1);
  });
  const slope = Float64Array.from(smooth, (_, i) => {
    const [a, b] = [Math.max(0, i - SMOOTH), Math.min(COUNT, i + SMOOTH)];
    return ((smooth[b]! - smooth[a]!) / (b - a)) * PER_SOC;
  });
  return { volt: smooth, slope };
}

/**
 * Volts of the electrode at a charge, how they change with it, its slope as smooth as it is known and how that changes; straight on beyond its
 * samples.
 */
export function negativeAt(
  { volt, slope }: Pick<NegativeElectrode, 'volt' | 'slope'>,
  soc: number,
): { v: number; along: number; steep: number; curved: number } {
  const at = (soc - FROM) * PER_SOC;
  if (at <= 0)
    return { v: volt[0]! + slope[0]! * (soc - FROM), along: slope[0]!, steep: slope[0]!, curved: 0 };
  if (at >= COUNT)
    return {
      v: volt[COUNT]! + slope[COUNT]! * (soc - TO),
      along: slope[COUNT]!,
      steep: slope[COUNT]!,
      curved: 0,
    };
  const i = Math.min(COUNT - 1, Math.floor(at));
  const part = at - i;
  const bend = slope[i + 1]! - slope[i]!;
  return {
    v: volt[i]! + part * (volt[i + 1]! - volt[i]!),
    along: PER_SOC * (volt[i + 1]! - volt[i]!),
    steep: slope[i]! + part * bend,
    curved: PER_SOC * bend,
  };
}

const CURVE_POINTS = 400;

/**
 * The rest curve and its negative electrode after as much ageing as a record shows, over the charge of the aged cell: a table is that of a new
 * one, and lithium that is lost since moves the steps of the negative electrode along the charge.
 */
export function aged(
  table: OcvCurve,
  negative: NegativeElectrode,
  { slip, stretch, held }: { slip: number; stretch: number; held: number },
): { curve: OcvCurve; negative: NegativeElectrode } {
  const positive = (s: number): number => 1 - (1 - s) * held;
  const behind = (p: number): number => p - slip - stretch * (1 - p);
  let highest = -Infinity;
  return {
    curve: ocvCurve(
      Array.from({ length: CURVE_POINTS + 1 }, (_, i): [number, number] => {
        const p = positive(i / CURVE_POINTS);
        const inside = Math.min(1, Math.max(0, p));
        const v =
          table.voltageAt(inside) +
          table.slopeAt(inside) * (p - inside) +
          negativeAt(negative, p).v -
          negativeAt(negative, behind(p)).v;
        highest = Math.max(highest, v);
        return [i / CURVE_POINTS, highest];
      }),
    ),
    negative: {
      ...sampled((s) => negativeAt(negative, behind(positive(s))).v),
      misfitV: negative.misfitV,
    },
  };
}
