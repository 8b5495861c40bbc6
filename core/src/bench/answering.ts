import { ocvCurve, type PackProfile } from '../pack';

/** What the voltage of one module has to do while current flows through it, whatever it is read by. */
export interface Answering {
  cells: number;
  ratedAh: number;
  /** Up to this current a full cell turns all it is given into heat, and a charge is ended by its hours, A; 0 where no cell does. */
  gentleA: number;
  /** The least resistance that so many cells of this size have, Ω. */
  leastOhm: number;
  /** Rest voltage of one cell over its charge; empty where voltage says nothing of the charge. */
  curve: [socFraction: number, voltageV: number][];
  /** Once so much has flowed, A·h, the voltage has moved by at least so much, V. */
  windowAh: number;
  leastMoveV: number;
}

/** Resistance of a cell times its capacity, Ω·A·h, at the least. Lithium 0.3–5 mΩ of large cells, NiMH sticks of 12 10–40 mΩ; from memory. */
const LEAST_OHM_AH = { lithium: 0.02, nimh: 0.004 };
/** The charge of NiMH that IEC 61951-2 gives for 16 h, C: full cells take it as heat while low ones catch up. From memory. */
const GENTLE_C = 0.1;
/** A course is told over the shortest stretch of charge in which the rest curve moves by so much everywhere, V a cell. */
const TELLS_V = 0.004;
const STRETCHES = [0.02, 0.03, 0.05, 0.08, 0.12, 0.2, 0.3, 0.4];
/** What a real cell has to show of that at the least: its table may be flatter than the table of the profile. */
const SHOWS = 0.35;

/** The least that a curve moves over a stretch of charge, wherever that begins, V. */
function leastMove(curve: Answering['curve'], stretch: number): number {
  const { voltageAt } = ocvCurve(curve);
  let least = Infinity;
  for (let s = 0.05; s + stretch <= 0.95 + 1e-9; s += 0.01)
    least = Math.min(least, voltageAt(s + stretch) - voltageAt(s));
  return least;
}

/** What the voltage of a module of a pack has to do. */
export function answeringOf(profile: PackProfile, cells: number): Answering {
  const nimh = profile.chemistry === 'nimh';
  const c = profile.ratedCapacityAh;
  const table = profile.ocv.map(([s, v]): [number, number] => [s, v]);
  const stretch = STRETCHES.find((d) => leastMove(table, d) >= TELLS_V) ?? STRETCHES.at(-1)!;
  return {
    cells,
    ratedAh: c,
    gentleA: nimh ? GENTLE_C * c : 0,
    leastOhm: (cells * (nimh ? LEAST_OHM_AH.nimh : LEAST_OHM_AH.lithium)) / c,
    curve: nimh ? [] : table,
    windowAh: stretch * c,
    leastMoveV: SHOWS * Math.max(0, leastMove(table, stretch)) * cells,
  };
}

/** How far a rest voltage may be off what the curve says of the charge, V a cell. Common practice, no source. */
const REST_V = 0.01;

/** Least and most charge that a rest voltage leaves open, A·h; all of it where voltage says nothing. */
export function chargeAtRest(a: Answering, restV: number): { leastAh: number; mostAh: number } {
  const cellV = restV / a.cells;
  if (a.curve.length < 2) return { leastAh: 0, mostAh: a.ratedAh };
  const [emptyV, fullV] = [a.curve[0]![1], a.curve.at(-1)![1]];
  const { socAt } = ocvCurve(a.curve);
  const at = (v: number): number => (v <= emptyV ? 0 : v >= fullV ? 1 : socAt(v));
  return { leastAh: a.ratedAh * at(cellV - REST_V), mostAh: a.ratedAh * at(cellV + REST_V) };
}

/** A step that is smaller than this no meter of a bench tells for certain, V. */
export const TOLD_V = 0.003;
/** A real cell answers with at least this share of the least resistance by this time, s. */
export const ANSWERS_SHARE = 0.5;
export const ANSWERS_WITHIN_S = 60;
/** Between two readings under one current the voltage of a cell moves by no more, V. From memory: the steepest end of a discharge. */
export const JUMP_V = 0.6;
/** A charge ends at the rating and a twentieth, less what is in; a discharge as much below empty. `numbers.md`. */
export const BEYOND = 0.05;
