import { InputProblem } from '../problem';
import { median } from '../numerics/robustStatistics';
import type { ProofState } from '../prove';
import { fitRise } from './rise';
import type { BusTrace } from './trace';

export interface PreChargeFacts {
  /** Volts of the pack then; null: what the bus comes to counts as it. */
  packV: number | null;
  /** By the profile; null where it does not say. */
  resistorOhm: number | null;
  capacitanceF: number | null;
}
export interface PreChargeSeen {
  state: ProofState;
  packV: number;
  /** What the bus had when the main closed, as a share of the pack, at least and at most; null where it never closed. */
  closedAt: { low: number; high: number } | null;
  /** Time constant of the rise, s, with two standard deviations; null where too few readings lie in it. */
  tauS: { value: number; low: number; high: number } | null;
  /** When 95 % were reached after pre-charge began, s. */
  t95S: number | null;
  /** From switching off to 60 V, s; null where it was not seen. */
  to60S: number | null;
  says: string[];
}

/** A main that closes on less than this share of the pack burns its contacts. Common practice, no source. */
export const CLOSES_AT = 0.95;
const EDGE = 0.9;
/** How far resistor and capacitors may be off what the profile says together. Common practice, no source. */
const TAU_OFF = { low: 0.6, high: 1.5 };
/** A rise this much faster than the resistor lets through went round it. */
const ROUND_IT = 0.3;
/** A bus above this before anything closed was live already. */
const LIVE_AT_FIRST = 0.5;
const MOST_POINTS = 240;
const SAFE_V = 60;

const ms = (s: number): string => (s < 1 ? `${Math.round(s * 1000)} ms` : `${s.toFixed(1)} s`);
const pct = (share: number): string => `${Math.round(share * 100)} %`;

/**
 * What a trace of the bus says of pre-charge and contactors: how fast it rose against its resistor and capacitors, what it had when the
 * main closed, whether it was live before or stayed live after.
 *
 * The rise is that of a capacitor through a resistor; what loads the bus meanwhile shows as an end below the pack.
 * @throws InputProblem where the trace is none
 */
export function judgePreCharge(trace: BusTrace, facts: PreChargeFacts): PreChargeSeen {
  const { timeS, busV } = trace;
  if (timeS.length < 4 || timeS.length !== busV.length)
    throw new InputProblem(
      'bus',
      `${timeS.length} readings of the bus.`,
      'bus',
      'Four or more, each with its time.',
    );
  if (timeS.some((t, i) => i > 0 && !(t > timeS[i - 1]!)))
    throw new InputProblem('bus', 'Times do not rise.', 'bus', 'Readings in the order they came.');
  const top = busV.reduce((m, v) => Math.max(m, v), -Infinity);
  const beside = trace.packV && trace.packV.length > 0 ? median(trace.packV) : null;
  // The pack is what was told of it, else what was logged beside, else the highest the bus came to.
  const packV = facts.packV ?? beside ?? median(busV.filter((v) => v > 0.97 * top));
  const says: string[] = [];
  const none = { packV, closedAt: null, tauS: null, t95S: null, to60S: null };
  if (!(packV > 0))
    throw new InputProblem('bus', 'No volts in it.', 'bus', 'The bus while it is switched ready.');
  if (facts.packV === null && beside === null)
    says.push('The pack’s own voltage was not told: shares are of the highest that the bus came to.');
  if (top > 1.05 * packV)
    return {
      ...none,
      state: 'hold',
      says: [
        `The bus reads ${top.toFixed(0)} V, the pack ${packV.toFixed(0)} V: one of the two is no reading of it.`,
      ],
    };

  const on = busV.findIndex((v) => v >= 0.05 * packV);
  if (on === -1)
    return {
      ...none,
      state: 'fail',
      says: [
        `The bus stays below ${pct(0.05)} of the pack: pre-charge never began, or its resistor is open.`,
      ],
    };
  if (on === 0 && busV[0]! > LIVE_AT_FIRST * packV)
    return {
      ...none,
      state: 'fail',
      says: [
        `The bus had ${busV[0]!.toFixed(0)} V before anything closed: a contactor is stuck closed, or the log began too late. It is live: make safe by measuring, not by the switch.`,
      ],
    };
  if (on === 0)
    return {
      ...none,
      state: 'hold',
      says: ['The log begins in the middle of pre-charge: begin it before the vehicle is switched ready.'],
    };

  // Where it has come to the pack, and where it leaves it again.
  const full = busV.findIndex((v, i) => i >= on && v >= 0.985 * packV);
  const end = full === -1 ? busV.length : full;
  const from = on - 1;
  const rise = Array.from({ length: end - from }, (_, i) => from + i);
  const stride = Math.max(1, Math.ceil(rise.length / MOST_POINTS));
  const seen = rise.filter((i) => (i - from) % stride === 0 || i === end - 1);
  const highest = busV[end - 1]!;

  if (full === -1) {
    const settled = busV.slice(Math.max(on, busV.length - 5));
    const flat = Math.max(...settled) - Math.min(...settled) < 0.01 * packV;
    const share = top / packV;
    if (flat && share >= EDGE)
      return {
        ...none,
        state: 'hold',
        says: [
          ...says,
          `The bus comes to ${pct(share)} of the pack and stays: no main closed, or the two were not read by meters that agree. Listen for the second click, and read both with one meter.`,
        ],
      };
    if (!flat)
      return {
        ...none,
        state: 'hold',
        says: [...says, `It had come to ${pct(share)} when the log ended: log on until both have clicked.`],
      };
    const load =
      facts.resistorOhm === null
        ? ''
        : `, about ${Math.round((facts.resistorOhm * share) / (1 - share))} Ω beside it`;
    return {
      ...none,
      state: 'fail',
      says: [
        ...says,
        `The bus comes to ${pct(share)} and no further, and no main closes: something loads it${load}. The resistor goes on heating: leave it off until that is found.`,
      ],
    };
  }

  // The main closes between two readings: before it the rise of a capacitor, after it the pack.
  const t = seen.map((i) => timeS[i]!);
  const v = seen.map((i) => busV[i]!);
  const inRise = v.filter((x) => x >= 0.05 * packV && x <= 0.94 * packV).length;
  let best: { k: number; fit: NonNullable<ReturnType<typeof fitRise>>; cost: number } | null = null;
  for (let k = 3; k < seen.length; k++) {
    const fit = fitRise(t.slice(0, k + 1), v.slice(0, k + 1), timeS[from]!, packV);
    if (!fit || fit.tauS > 100 * (t.at(-1)! - t[0]!) || fit.finalV > 3 * packV) continue;
    const rest = v.slice(k + 1).reduce((s, x) => s + (100 * (x / packV - 1)) ** 2, 0);
    if (!best || fit.cost + rest < best.cost - 1e-9) best = { k, fit, cost: fit.cost + rest };
  }
  const rc =
    facts.resistorOhm !== null && facts.capacitanceF !== null ? facts.resistorOhm * facts.capacitanceF : null;
  const tauS =
    best && inRise >= 3
      ? {
          value: best.fit.tauS,
          low: Math.max(0, best.fit.tauS - 2 * best.fit.tauSdS),
          high: best.fit.tauS + 2 * best.fit.tauSdS,
        }
      : null;
  const share = (at: number): number => {
    const x = (at - best!.fit.t0) / best!.fit.tauS;
    return Math.min(1, (best!.fit.finalV * (1 - Math.exp(-Math.max(0, x)))) / packV);
  };
  // Without a rise that can be followed only the last reading before the pack is known.
  const before = best && tauS ? seen[best.k]! : end - 1;
  const closedAt =
    best && tauS
      ? { low: share(timeS[before]!), high: share(timeS[Math.min(before + stride, busV.length - 1)]!) }
      : { low: highest / packV, high: 1 };
  const t95S =
    tauS && best!.fit.finalV > CLOSES_AT * packV
      ? -best!.fit.tauS * Math.log(1 - (CLOSES_AT * packV) / best!.fit.finalV)
      : null;

  /** Between its last two readings before the pack the bus rose faster than its resistor can let it. */
  const jumped = rc !== null && highest < EDGE * packV && timeS[end]! - timeS[end - 1]! < ROUND_IT * rc;
  let state: ProofState = 'pass';
  const worse = (s: ProofState): void => {
    if (s === 'fail' || (s === 'hold' && state === 'pass')) state = s;
  };
  if ((!tauS && jumped) || (tauS && rc !== null && tauS.high < ROUND_IT * rc)) {
    worse('fail');
    says.push(
      `${tauS ? `It rises with ${ms(tauS.value)}` : `It jumps from ${pct(highest / packV)} to the pack within ${ms(timeS[end]! - timeS[end - 1]!)}`}, its resistor lets it rise with ${ms(rc!)}: something goes round the resistor, a main that sticks or one that closed first.`,
    );
  } else if (!tauS) {
    const short = highest / packV < CLOSES_AT;
    worse(short ? 'hold' : 'pass');
    says.push(
      short
        ? `Between ${pct(highest / packV)} and the pack there is no reading: a main that closed too early looks the same. Log the bus faster, ten readings in the rise.`
        : `The last reading before the pack is ${pct(highest / packV)} of it.`,
    );
  } else {
    const sure = closedAt.low >= CLOSES_AT - 0.005;
    worse(sure ? 'pass' : closedAt.low >= EDGE - 0.005 ? 'hold' : 'fail');
    says.push(
      sure
        ? `The main closed on ${pct(closedAt.low)} of the pack or more, ${ms(timeS[before]! - best!.fit.t0)} after pre-charge began.`
        : `The main closed on ${pct(closedAt.low)} of the pack, ${ms(timeS[before]! - best!.fit.t0)} after pre-charge began: ${pct(CLOSES_AT)} are wanted, or its contacts burn.`,
    );
    if (rc !== null) {
      const ratio = tauS.value / rc;
      if (ratio > TAU_OFF.high || ratio < TAU_OFF.low) {
        worse('hold');
        says.push(
          `It rises with ${ms(tauS.value)} where resistor and capacitance make ${ms(rc)}: ${ratio > 1 ? 'the resistor has aged, or something loads the bus' : 'the resistor is not the one of the profile, or capacitors have gone'}.`,
        );
      } else
        says.push(`It rises with ${ms(tauS.value)}; resistor and capacitance make ${ms(rc)} by the profile.`);
    } else says.push(`It rises with ${ms(tauS.value)}; the profile does not say what its resistor makes.`);
  }

  const off = offAt(timeS, busV, packV);
  if (off === null)
    says.push(
      'That it opens again was not seen: log on after it is switched off, or listen for both clicks.',
    );
  else if (off.to60S === null)
    says.push(
      `Switched off it had come down to ${busV.at(-1)!.toFixed(0)} V when the log ended: live until measured.`,
    );
  else
    says.push(
      `Switched off it is below ${SAFE_V} V after ${ms(off.to60S)}: the string opened and the bus empties. That each contactor opened, one bus does not tell: two clicks, or both poles to the bus, do.`,
    );
  return { state, packV, closedAt, tauS, t95S, to60S: off?.to60S ?? null, says };
}

/** From the last reading on the pack to 60 V, s, between the two readings next to it; null where it never left the pack. */
function offAt(
  timeS: readonly number[],
  busV: readonly number[],
  packV: number,
): { to60S: number | null } | null {
  const last = busV.findLastIndex((v) => v >= 0.985 * packV);
  if (last === -1 || last >= busV.length - 1 || busV.at(-1)! > EDGE * packV) return null;
  const k = busV.findIndex((v, i) => i > last && v <= SAFE_V);
  if (k === -1) return { to60S: null };
  const [a, b] = [busV[k - 1]!, busV[k]!];
  // A capacitor through its bleeder falls by the same share in the same time.
  const part = b > 0 && a > b ? Math.log(a / SAFE_V) / Math.log(a / b) : 1;
  return { to60S: timeS[k - 1]! + part * (timeS[k]! - timeS[k - 1]!) - timeS[last]! };
}
