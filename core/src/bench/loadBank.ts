import { InputProblem } from '../problem';

export interface Resistor {
  id: string;
  ohm: number;
  /** What it bears in still air, and with the fan on it. */
  watt: number;
}
export interface BankAsk {
  resistors: readonly Resistor[];
  fromV: number;
  toV: number;
  wantedA: number;
  capacityAh: number;
  /** A fan blows on them: they bear more. */
  fan: boolean;
}
export interface BankPlan {
  /** Strings side by side, each resistors one after another. */
  strings: string[][];
  ohm: number;
  startA: number;
  endA: number;
  powerW: number;
  hours: number;
  /** The one nearest to its rating, as a share of what it bears. */
  hardest: { id: string; share: number; watt: number };
  /** How warm the hardest gets, °C over the room: rated for this at its full rating. */
  riseC: number;
  tried: number;
  proved: boolean;
}

/** A fan lets wire-wound resistors bear so much more. From memory; the maker's curve comes first. */
const FAN_GAIN = 1.6;
/** Loaded to this share of what they bear: they lie in the open beside people. Common practice, no source. */
const DERATE = 0.8;
/** Warmth of a resistor at its full rating over the room, °C. From memory. */
const RATED_RISE_C = 250;
export const MOST_RESISTORS = 12;
const MOST_TRIED = 40_000_000;

/**
 * Which resistors, in which strings side by side, come nearest to the wanted current at the middle of a discharge, none loaded
 * beyond four fifths of what it bears at its start. Every way of laying them into strings side by side is tried, alike ones once (not
 * strings of things that lie side by side); above twelve resistors it is refused.
 * @throws InputProblem for figures that cannot be, and where no network bears it
 */
export function loadBank(ask: BankAsk): BankPlan {
  const { resistors, fromV, toV, wantedA, capacityAh, fan } = ask;
  const bad = resistors.find((r) => !(r.ohm > 0 && r.watt > 0));
  if (bad || resistors.length === 0)
    throw new InputProblem(
      'resistors',
      bad ? `${bad.id} has no resistance or rating.` : 'No resistor.',
      'resistors',
      'Ω and W of each.',
    );
  if (resistors.length > MOST_RESISTORS)
    throw new InputProblem(
      'resistors',
      `${resistors.length} resistors.`,
      'resistors',
      `At most ${MOST_RESISTORS} at a time.`,
    );
  if (!(fromV > toV && toV > 0 && wantedA > 0 && capacityAh > 0))
    throw new InputProblem(
      'discharge',
      'Those are no voltages of a discharge.',
      'discharge',
      'From full down to the cut-off, above 0 V.',
    );
  const bears = (r: Resistor): number => r.watt * (fan ? FAN_GAIN : 1) * DERATE;
  const middleV = (fromV + toV) / 2;
  const wantedS = wantedA / middleV;
  // Alike ones together: which of them is taken makes no difference.
  const order = [...resistors].sort((a, b) => a.ohm - b.ohm || a.watt - b.watt);
  const same = order.map((r, i) => i > 0 && order[i - 1]!.ohm === r.ohm && order[i - 1]!.watt === r.watt);
  let best: { error: number; used: number; strings: number[][] } | null = null;
  let tried = 0;
  let proved = true;
  const strings: number[][] = [];
  const ohmOf = (s: readonly number[]): number => s.reduce((sum, i) => sum + order[i]!.ohm, 0);
  /** What is loaded too much in a string now may be right once more ohms stand in it: judged when all are placed. */
  const judge = (): void => {
    tried++;
    let siemens = 0;
    for (const s of strings) {
      const ohm = ohmOf(s);
      const amps = fromV / ohm;
      for (const i of s) if (amps * amps * order[i]!.ohm > bears(order[i]!)) return;
      siemens += 1 / ohm;
    }
    if (siemens === 0) return;
    const error = Math.abs(siemens - wantedS);
    const used = strings.reduce((n, s) => n + s.length, 0);
    if (!best || error < best.error * (1 - 1e-9) || (error <= best.error * (1 + 1e-9) && used < best.used))
      best = { error, used, strings: strings.map((s) => [...s]) };
  };
  // Where each resistor goes: out, into a string that is there, or a string of its own. Of alike ones none goes where an earlier
  // place would do for the one before it.
  const place = (i: number, before: number): void => {
    if (tried > MOST_TRIED) {
      proved = false;
      return;
    }
    if (i === order.length) return judge();
    const least = same[i] ? before : -1;
    // −1 out, k into string k, length a new one.
    for (let to = least; to <= strings.length; to++) {
      if (to < 0) place(i + 1, -1);
      else if (to < strings.length) {
        strings[to]!.push(i);
        place(i + 1, to);
        strings[to]!.pop();
      } else {
        strings.push([i]);
        place(i + 1, to);
        strings.pop();
      }
    }
  };
  place(0, -1);
  if (!best)
    throw new InputProblem(
      'bank',
      'No strings of these bear it.',
      'resistors',
      'Larger resistors, more of them, the fan, or a lower voltage.',
    );
  const found = (best as { strings: number[][] }).strings;
  const siemens = found.reduce((s, x) => s + 1 / ohmOf(x), 0);
  let hardest = { id: '', share: -1, watt: 0 };
  for (const s of found) {
    const amps = fromV / ohmOf(s);
    for (const i of s) {
      const watt = amps * amps * order[i]!.ohm;
      const share = watt / (order[i]!.watt * (fan ? FAN_GAIN : 1));
      if (share > hardest.share) hardest = { id: order[i]!.id, share, watt };
    }
  }
  return {
    strings: found.map((s) => s.map((i) => order[i]!.id)),
    ohm: 1 / siemens,
    startA: fromV * siemens,
    endA: toV * siemens,
    powerW: fromV * fromV * siemens,
    // The current falls with the voltage: charge by its mean over the discharge.
    hours: capacityAh / (middleV * siemens),
    hardest,
    riseC: RATED_RISE_C * hardest.share,
    tried,
    proved,
  };
}
