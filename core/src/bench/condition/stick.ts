/** Something that was done to a stick, in order. Discharge is positive, but the sign follows the kind. */
export interface StickEvent {
  kind: 'charge' | 'discharge' | 'rest';
  hours: number;
  currentA: number;
  temperatureC: number;
  /** At its terminals, as it was logged. */
  voltageV?: number[] | undefined;
  /** Hours from the beginning of the event, one a voltage. */
  timeH?: number[] | undefined;
  /** What flowed, A·h; by default current times hours. */
  ah?: number | undefined;
}

/** Cells of one stick: what each holds when full, and what is in it, A·h. */
export interface Cells {
  capacityAh: Float64Array;
  chargeAh: Float64Array;
  /** Share of what the cells hold that they do not give yet: a stick that stood for long, or was only ever half cycled. */
  asleep: number;
}

/** Share of a charge that stays in a cell that is not full, cool and hot. From memory: NiMH takes a charge badly when hot. */
const ACCEPTS = 0.95;
const ACCEPTS_HOT = 0.8;
const HOT_C = 45;
/** A cell loses this share of its charge an hour at 20 °C; twice of it each ten degrees on. From memory: about 1 % a day. */
const LEAKS_PER_H = 0.01 / 24;
/** Under load a cell stands at its plateau until it is empty, then is driven backwards, V. From memory. */
export const PLATEAU_V = 1.2;
export const REVERSED_V = -0.2;
/** A discharge ends where the stick falls below this, V a cell on the mean. Common practice, no source. */
const CUT_OFF_V = 1.0;

/** What flowed in an event, A·h, whatever sign its current was written with. */
export const flowedAh = (e: StickEvent): number => Math.abs(e.ah ?? e.currentA * e.hours);

/** How many cells have to be empty before a stick of so many falls below its cut-off. */
export const emptyAtCutOff = (cells: number): number =>
  Math.floor((cells * (PLATEAU_V - CUT_OFF_V)) / (PLATEAU_V - REVERSED_V)) + 1;

/** @param wakes what is left asleep after a charge to full, as a share of what was */
export function charge(cells: Cells, e: StickEvent, wakes: number): void {
  const taken = flowedAh(e) * (e.temperatureC >= HOT_C ? ACCEPTS_HOT : ACCEPTS);
  // A full cell turns the rest into heat: a charge beyond full brings the low ones up to it.
  let full = 0;
  for (let i = 0; i < cells.chargeAh.length; i++) {
    const most = cells.capacityAh[i]! * (1 - cells.asleep);
    if (cells.chargeAh[i]! + taken >= most) full++;
    cells.chargeAh[i] = Math.min(Math.max(most, cells.chargeAh[i]!), cells.chargeAh[i]! + taken);
  }
  if (2 * full >= cells.chargeAh.length) cells.asleep *= wakes;
}

export function rest(cells: Cells, e: StickEvent): void {
  const left = Math.exp(-LEAKS_PER_H * 2 ** ((e.temperatureC - 20) / 10) * e.hours);
  for (let i = 0; i < cells.chargeAh.length; i++) cells.chargeAh[i]! *= left;
}

/** Takes out what flowed; whoever is empty before is driven backwards. @returns cells that were, by more than a margin, A·h */
export function discharge(cells: Cells, ah: number, marginAh: number): number {
  let reversed = 0;
  for (let i = 0; i < cells.chargeAh.length; i++) {
    if (cells.chargeAh[i]! < ah - marginAh) reversed++;
    cells.chargeAh[i] = Math.max(0, cells.chargeAh[i]! - ah);
  }
  return reversed;
}

/** The n-th least of some figures, from 1. */
export const nthLeast = (values: Float64Array, n: number): number =>
  Float64Array.from(values).sort()[Math.min(values.length, Math.max(1, n)) - 1]!;
