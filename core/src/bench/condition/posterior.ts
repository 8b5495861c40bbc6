import { Random } from '../../simpack/random';
import type { Observed } from './observed';
import { charge, discharge, nthLeast, rest, type Cells } from './stick';

/** One stick as it may be, after all that was done to it. */
export interface Draw {
  capacityAh: Float64Array;
  chargeAh: Float64Array;
  /** Share that is still asleep, and what a further charge to full leaves of it. */
  asleep: number;
  wakes: number;
  /** Cells that were driven backwards in the last discharge. */
  reversed: number;
}

/**
 * Prior of a cell: it is dead, worn, or as its stick is. From memory, of sticks that come to a bench: one cell in thirty is dead, one in
 * eight worn.
 */
const DEAD = 0.03;
const WORN = 0.12;
export const DEAD_SHARE = 0.1;
const WORN_MOST = 0.65;
/** What a stick holds of its rating, and how far its sound cells lie apart. From memory. */
const LEVEL: readonly [number, number] = [0.6, 1];
const APART = 0.05;
/** How far the charge of cells lies apart at the beginning, as a share of full. From memory: sticks that were never levelled. */
const UNBALANCED = 0.2;
/** How near a discharge is told by the cells, as a share of the rating. From memory: rate, warmth and history move it. */
const TOLD_WITHIN = 0.04;
/**
 * One stick in two gives all it holds; of the others so much at most is asleep, and each charge to full leaves such a share of it. Common
 * practice, no source: sticks that give 1.6 A·h give 4.4 after a hard charge.
 */
const ALL_AWAKE = 0.5;
const ASLEEP_MOST = 0.75;
const WAKES: readonly [number, number] = [0.1, 0.8];
const CHAINS = 4;
const BURN = 1500;
const STEPS = 3000;
const EVERY = 10;

interface Guess {
  level: number;
  soc: number;
  /** Of the rating; and of full, at the beginning. */
  capacity: Float64Array;
  shift: Float64Array;
  asleep: number;
  wakes: number;
}

/** Cells as a guess says, through everything that was done. @returns how likely what was read is, as a logarithm */
function follow(guess: Guess, observed: readonly Observed[], ratedAh: number): { log: number; draw: Draw } {
  const n = guess.capacity.length;
  const capacityAh = guess.capacity.map((c) => c * ratedAh);
  const cells: Cells = {
    capacityAh,
    chargeAh: capacityAh.map(
      (c, i) => c * (1 - guess.asleep) * Math.min(1, Math.max(0, guess.soc + guess.shift[i]!)),
    ),
    asleep: guess.asleep,
  };
  const sd = TOLD_WITHIN * ratedAh;
  // A wide tail: one run that was stopped by a loose clip does not overturn the others.
  const off = (x: number): number => -2 * Math.log(1 + (x / sd) ** 2 / 3);
  let [log, reversed] = [0, 0];
  for (const { event, ah, dropoutsAh, emptyAtEnd, missingCells } of observed) {
    if (missingCells) {
      const dead = guess.capacity.reduce((s, c) => s + (c < DEAD_SHARE ? 1 : 0), 0);
      log -= 0.5 * Math.min(25, ((missingCells.value - dead) / missingCells.sd) ** 2);
    }
    if (event.kind === 'charge') charge(cells, event, guess.wakes);
    else if (event.kind === 'rest') rest(cells, event);
    else {
      dropoutsAh.forEach((at, k) => (log += off(at - nthLeast(cells.chargeAh, k + 1))));
      if (emptyAtEnd !== null) log += off(ah - nthLeast(cells.chargeAh, emptyAtEnd));
      else log += off(Math.min(0, nthLeast(cells.chargeAh, 1) - ah));
      reversed = discharge(cells, ah, sd);
    }
  }
  return {
    log,
    draw: {
      capacityAh,
      chargeAh: Float64Array.from(cells.chargeAh),
      asleep: cells.asleep,
      wakes: guess.wakes,
      reversed: Math.min(n, reversed),
    },
  };
}

function drawCell(level: number, r: Random): number {
  const u = r.uniform();
  if (u < DEAD) return r.uniform(0, DEAD_SHARE);
  if (u < DEAD + WORN) return r.uniform(DEAD_SHARE, WORN_MOST);
  return Math.min(1, Math.max(DEAD_SHARE, level + APART * r.normal()));
}

const drawSleep = (r: Random): Pick<Guess, 'asleep' | 'wakes'> => ({
  asleep: r.uniform() < ALL_AWAKE ? 0 : r.uniform(0, ASLEEP_MOST),
  wakes: r.uniform(...WAKES),
});

/** A guess with some of it drawn anew: one cell, its charge, that of all, what is asleep, or the stick's own level. */
function changed(g: Guess, r: Random): Guess {
  const next: Guess = { ...g, capacity: g.capacity.slice(), shift: g.shift.slice() };
  const n = g.capacity.length;
  const u = r.uniform();
  if (u < 0.5) {
    const i = r.integer(0, n - 1);
    next.capacity[i] = drawCell(g.level, r);
    if (r.uniform() < 0.5) next.shift[i] = UNBALANCED * r.normal();
  } else if (u < 0.7) next.shift[r.integer(0, n - 1)] = UNBALANCED * r.normal();
  else if (u < 0.8) next.soc = Math.min(1, Math.max(0, g.soc + 0.1 * r.normal()));
  else if (u < 0.9) Object.assign(next, drawSleep(r));
  else {
    // The sound cells move with their stick.
    next.level = r.uniform(...LEVEL);
    for (let i = 0; i < n; i++)
      if (Math.abs(g.capacity[i]! - g.level) < 3 * APART)
        next.capacity[i] = Math.min(1, Math.max(DEAD_SHARE, g.capacity[i]! + next.level - g.level));
  }
  return next;
}

/**
 * Sticks as they may be by everything that was done to them and read (Metropolis's rule over what each cell holds and held): the spread
 * of the draws is what is not known. Cells are not told apart by place, only by how many are alike.
 */
export function stickDraws(observed: readonly Observed[], cells: number, ratedAh: number, seed = 1): Draw[] {
  const out: Draw[] = [];
  for (let chain = 0; chain < CHAINS; chain++) {
    const r = new Random(1000 * seed + chain);
    const level = r.uniform(...LEVEL);
    let guess: Guess = {
      level,
      soc: r.uniform(),
      ...drawSleep(r),
      capacity: Float64Array.from({ length: cells }, () => drawCell(level, r)),
      shift: Float64Array.from({ length: cells }, () => UNBALANCED * r.normal()),
    };
    let at = follow(guess, observed, ratedAh);
    for (let step = 0; step < BURN + STEPS; step++) {
      const next = changed(guess, r);
      const there = follow(next, observed, ratedAh);
      if (Math.log(r.uniform()) < there.log - at.log) [guess, at] = [next, there];
      if (step >= BURN && step % EVERY === 0) out.push(at.draw);
    }
  }
  return out;
}
