import { InputProblem } from '../problem';
import type { OcvTable } from './circuits';

/** One group of a string: rest voltage over its charge, two resistances, one of them slow, and a bleeder across its terminals. */
export interface SimGroup {
  capacityAh: number;
  /** Share of its charge at the beginning. */
  soc: number;
  ohm: number;
  slowOhm: number;
}
/** A stretch of a day, in order. Discharge is positive. */
export interface DaySegment {
  what: 'drive' | 'charge' | 'rest';
  hours: number;
  /** Through the string, A. A charge ends by itself once a group is full: it rests then. */
  currentA: number;
}
export interface SimAsk {
  ocv: OcvTable;
  groups: readonly SimGroup[];
  /** Time constant of the slow resistance, s. */
  slowS: number;
  bleedOhm: number;
  /** A group that is this much above the lowest is bled, V; and while what goes on. */
  bleedAboveV: number;
  bleedWhile: readonly DaySegment['what'][];
  /** Share of the time that a bleeder which is asked for is on. */
  bleedDuty?: number;
  day: readonly DaySegment[];
  days: number;
  /** A charge ends when the fullest group shows this, V; a drive when the emptiest shows that. */
  fullV: number;
  emptyV: number;
  /** The vehicle refuses to drive while its groups lie further apart than this, V; null: it does not. */
  blocksAboveV?: number | null;
  thermal?: { ambientC: number; jPerK: number; wPerK: number } | undefined;
}
export interface DayEnd {
  day: number;
  /** Widest difference of rest voltages at the end of the day, V, and of the charge in the groups, A·h. */
  spreadV: number;
  spreadAh: number;
  /** What was driven out of it that day before the emptiest group ended it, A·h; and how much of the drive was left out. */
  drivenAh: number;
  missedAh: number;
  hottestC: number | null;
}
export interface SimAnswer {
  days: DayEnd[];
  soc: number[];
  /** At the terminals, at the very end. */
  voltageV: number[];
  /** Which bleeders were on: `[from, to, group]`, s. */
  bled: [number, number, number][];
  /** When the vehicle first let itself be driven, h from the beginning; null: not in these days. */
  drivableAtH: number | null;
  /** What flowed through the string: `[from, to, A]`, s. */
  flowed: [number, number, number][];
}

/** The management unit looks at its groups this often, s. */
export const LOOKS_EVERY_S = 60;

/** Rest voltage and its slope, found from the piece it was on before. */
class Curve {
  private readonly x: Float64Array;
  private readonly y: Float64Array;
  constructor(ocv: OcvTable) {
    this.x = Float64Array.from(ocv, (p) => p[0]);
    this.y = Float64Array.from(ocv, (p) => p[1]);
  }
  /** The piece of a charge, looked for from a piece on. */
  piece(soc: number, from: number): number {
    let k = from;
    while (k > 0 && soc < this.x[k]!) k--;
    while (k < this.x.length - 2 && soc > this.x[k + 1]!) k++;
    return k;
  }
  at(soc: number, k: number): number {
    const [x0, x1, y0, y1] = [this.x[k]!, this.x[k + 1]!, this.y[k]!, this.y[k + 1]!];
    return y0 + ((soc - x0) / (x1 - x0)) * (y1 - y0);
  }
}

const width = (volts: Float64Array): number => {
  let [low, high] = [Infinity, -Infinity];
  for (let i = 0; i < volts.length; i++) {
    if (volts[i]! < low) low = volts[i]!;
    if (volts[i]! > high) high = volts[i]!;
  }
  return high - low;
};

/**
 * A string through days of use: every group its own circuit, all with the same current, bleeders by what the management unit sees.
 * Each look of the management unit is one step: the slow voltage exactly, the charge by the current of the middle of the step
 * (Heun), so that the only error is how a bleeder's current changes within a minute. Held against ngspice on the same circuit.
 */
export function simulateString(ask: SimAsk): SimAnswer {
  const { groups, slowS, bleedOhm, day } = ask;
  const n = groups.length;
  if (n === 0) throw new InputProblem('groups', 'There is no group.', 'groups', 'At least one.');
  if (!(bleedOhm > 0) || !(slowS > 0))
    throw new InputProblem(
      'shape',
      'A bleeder and a time constant are above nothing.',
      'bleedOhm, slowS',
      'Ω and s.',
    );
  for (const s of day)
    if (!(s.hours > 0) || (s.what === 'charge' && s.currentA > 0) || (s.what === 'drive' && s.currentA < 0))
      throw new InputProblem(
        'day',
        `A ${s.what} of ${s.hours} h at ${s.currentA} A.`,
        'day',
        'Discharge is positive.',
      );
  const curve = new Curve(ask.ocv);
  const soc = Float64Array.from(groups, (g) => g.soc);
  const slow = new Float64Array(n);
  const piece = new Int32Array(n);
  const cap = Float64Array.from(groups, (g) => 3600 * g.capacityAh);
  const r0 = Float64Array.from(groups, (g) => g.ohm);
  const r1 = Float64Array.from(groups, (g) => g.slowOhm);
  const volts = new Float64Array(n);
  const on = new Uint8Array(n);
  const onSince = new Float64Array(n);
  const duty = ask.bleedDuty ?? 1;
  const bled: SimAnswer['bled'] = [];
  const flowed: SimAnswer['flowed'] = [];
  const out: DayEnd[] = [];
  let time = 0;
  const blocksV = ask.blocksAboveV ?? null;
  let drivableAtS: number | null = blocksV === null ? 0 : null;
  let tempC = ask.thermal?.ambientC ?? 0;
  // Terminal voltage with a current through the string; the bleeder draws on it too: V = OCV − v₁ − (I + V/Rb)·R₀.
  const terminal = (i: number, ocv: number, stringA: number): number => {
    const free = ocv - slow[i]! - stringA * r0[i]!;
    return on[i] ? free / (1 + r0[i]! / (bleedOhm / duty)) : free;
  };
  const own = (i: number, ocv: number, stringA: number): number =>
    on[i] ? stringA + (terminal(i, ocv, stringA) * duty) / bleedOhm : stringA;
  const look = (stringA: number): void => {
    for (let i = 0; i < n; i++) {
      const k = (piece[i] = curve.piece(soc[i]!, piece[i]!));
      volts[i] = terminal(i, curve.at(soc[i]!, k), stringA);
    }
  };
  const decide = (what: DaySegment['what']): void => {
    let low = Infinity;
    for (let i = 0; i < n; i++) if (volts[i]! < low) low = volts[i]!;
    const may = ask.bleedWhile.includes(what);
    for (let i = 0; i < n; i++) {
      const wanted = may && volts[i]! > low + ask.bleedAboveV ? 1 : 0;
      if (wanted === on[i]) continue;
      if (on[i]) bled.push([onSince[i]!, time, i]);
      else onSince[i] = time;
      on[i] = wanted;
    }
  };
  const step = (s: number, stringA: number): number => {
    const keep = Math.exp(-s / slowS);
    let heatW = 0;
    for (let i = 0; i < n; i++) {
      const k = piece[i]!;
      const ocv = curve.at(soc[i]!, k);
      const first = own(i, ocv, stringA);
      // The current of the middle: with the charge and the slow voltage of the middle.
      const was = slow[i]!;
      const midSoc = soc[i]! - (first * s) / 2 / cap[i]!;
      const target = first * r1[i]!;
      slow[i] = target + (was - target) * Math.exp(-s / 2 / slowS);
      const mid = on[i] ? own(i, curve.at(midSoc, curve.piece(midSoc, k)), stringA) : first;
      soc[i] = soc[i]! - (mid * s) / cap[i]!;
      const to = mid * r1[i]!;
      slow[i] = to + (was - to) * keep;
      heatW +=
        mid * mid * r0[i]! + mid * slow[i]! + (on[i] ? ((volts[i]! * volts[i]!) / bleedOhm) * duty : 0);
    }
    time += s;
    return heatW;
  };
  for (let d = 0; d < ask.days; d++) {
    let [driven, missed] = [0, 0];
    let hottest = tempC;
    for (const seg of day) {
      let left = seg.hours * 3600;
      let over = false;
      let since = time;
      let flowing = seg.currentA;
      while (left > 1e-6) {
        const s = Math.min(LOOKS_EVERY_S, left);
        look(flowing);
        if (drivableAtS === null && width(volts) <= blocksV!) drivableAtS = time;
        // It looks before it lets itself be driven, not on the way.
        if (seg.what === 'drive' && time === since && !over && blocksV !== null && width(volts) > blocksV) {
          over = true;
          flowing = 0;
          missed += (seg.currentA * left) / 3600;
          look(0);
        }
        if (!over && seg.what !== 'rest') {
          let [low, high] = [Infinity, -Infinity];
          for (let i = 0; i < n; i++) {
            if (volts[i]! < low) low = volts[i]!;
            if (volts[i]! > high) high = volts[i]!;
          }
          over = seg.what === 'charge' ? high >= ask.fullV : low <= ask.emptyV;
          if (over) {
            if (flowing !== 0 && time > since) flowed.push([since, time, flowing]);
            since = time;
            flowing = 0;
            if (seg.what === 'drive') missed += (seg.currentA * left) / 3600;
            look(0);
          }
        }
        // A unit that has ended its charge goes on bleeding as at rest.
        decide(over ? 'rest' : seg.what);
        const heatW = step(s, flowing);
        if (flowing > 0) driven += (flowing * s) / 3600;
        if (ask.thermal) {
          const { ambientC, jPerK, wPerK } = ask.thermal;
          const settles = ambientC + heatW / wPerK;
          tempC = settles + (tempC - settles) * Math.exp((-s * wPerK) / jPerK);
          hottest = Math.max(hottest, tempC);
        }
        left -= s;
      }
      if (flowing !== 0 && time > since) flowed.push([since, time, flowing]);
    }
    let [lowV, highV, lowAh, highAh] = [Infinity, -Infinity, Infinity, -Infinity];
    for (let i = 0; i < n; i++) {
      const v = curve.at(soc[i]!, curve.piece(soc[i]!, piece[i]!));
      const ah = (soc[i]! * cap[i]!) / 3600;
      [lowV, highV] = [Math.min(lowV, v), Math.max(highV, v)];
      [lowAh, highAh] = [Math.min(lowAh, ah), Math.max(highAh, ah)];
    }
    out.push({
      day: d + 1,
      spreadV: highV - lowV,
      spreadAh: highAh - lowAh,
      drivenAh: driven,
      missedAh: missed,
      hottestC: ask.thermal ? hottest : null,
    });
  }
  look(0);
  for (let i = 0; i < n; i++) if (on[i]) bled.push([onSince[i]!, time, i]);
  return {
    days: out,
    soc: [...soc],
    voltageV: [...volts],
    bled,
    flowed,
    drivableAtH: drivableAtS === null ? null : drivableAtS / 3600,
  };
}

/** When a vehicle that is used so has brought its string level by itself. */
export interface InUse {
  /** When it first lets itself be driven, h; null: not within the days. */
  drivableAtH: number | null;
  /** From which day on nothing of the drive is missed; null: not within the days that were looked at. */
  drivableDay: number | null;
  /** From which day on the groups lie within the vehicle's own limit; null: not within the days. */
  levelDay: number | null;
  /** Share of the first day's drive that is missed. */
  missedFirst: number;
  days: DayEnd[];
  /** Warmest mean of the string over all days; null where no thermal figures were given. */
  hottestC: number | null;
}
/** @param withinV the spread at rest that counts as level, V. */
export function inUse(ask: SimAsk, withinV: number): InUse {
  const { days, drivableAtH } = simulateString(ask);
  const first = days[0]!;
  const since = (good: (d: DayEnd) => boolean): number | null => {
    const bad = days.findLastIndex((d) => !good(d));
    return bad === days.length - 1 ? null : bad + 2;
  };
  return {
    drivableAtH,
    drivableDay: since((d) => d.missedAh < 1e-6),
    levelDay: since((d) => d.spreadV <= withinV),
    missedFirst: first.missedAh / Math.max(1e-9, first.missedAh + first.drivenAh),
    days,
    hottestC: ask.thermal ? Math.max(...days.map((d) => d.hottestC!)) : null,
  };
}
