import { judgeDelta, judgeVoltage, limitValue, ocvCurve, OUT_OF_BOUNDS, type Pack } from '../pack';

/** What the management unit of the closed but unsealed pack shows when it is woken. Null where nobody looked. */
export interface Wake {
  /** Channels that reply. */
  replies: number | null;
  highestV: number | null;
  lowestV: number | null;
  /** Sum of all channels, where the tool shows it; else it lies between the extremes. */
  sumV: number | null;
  /** Of the whole pack, as reported or at the terminals. */
  packV: number | null;
  coldestC: number | null;
  warmestC: number | null;
  /** Codes that are set; empty for none. */
  codes: readonly string[] | null;
}
export type WakePointId = 'replies' | 'bounds' | 'sum' | 'delta' | 'temperatures' | 'codes';
export interface WakePoint {
  id: WakePointId;
  /** `open`: looked at, and it can tell nothing here. */
  state: 'right' | 'wrong' | 'missing' | 'open';
  says: string;
}
export interface WakeJudged {
  points: WakePoint[];
  passed: boolean;
  deltaMv: number | null;
  /** What the delta is in charge, at most and least by what the readings tell; null off the curve's reach. */
  deltaAh: { low: number; high: number } | null;
}

/** Pack voltage against the sum of groups. numbers.md, bench-wake [M]. */
const SUM_SHARE = 0.005;
const SUM_V = 1;
/** Sensors of a pack that has stood agree within this, °C. Common practice, no source. */
const SENSORS_AGREE_C = 5;

const f = (v: number, digits: number): string => v.toFixed(digits);

/**
 * What “highest” and “lowest” are of: a channel where all hold as many cells, else a cell; and how many of those the pack has.
 */
export function wakeUnit(pack: Pack): { cells: number; count: number } {
  const cells = pack.channels[0]!.cells;
  return pack.channels.every((c) => c.cells === cells)
    ? { cells, count: pack.channels.length }
    : { cells: 1, count: pack.channels.reduce((s, c) => s + c.cells, 0) };
}

/**
 * Whether the closed pack woke as it should: every channel replies, none beyond floor or ceiling, pack voltage and sum agree,
 * the delta is within its limit at this charge, temperatures agree, no code. What was not looked at is missing, and does not pass.
 */
export function judgeWake(pack: Pack, wake: Wake): WakeJudged {
  const n = pack.channels.length;
  const cells = pack.channels.reduce((s, c) => s + c.cells, 0);
  const points: WakePoint[] = [];
  const add = (id: WakePointId, state: WakePoint['state'], says: string): void =>
    void points.push({ id, state, says });
  if (wake.replies === null) add('replies', 'missing', `How many of ${n} channels reply?`);
  else
    add(
      'replies',
      wake.replies === n ? 'right' : 'wrong',
      wake.replies === n ? `All ${n} channels reply.` : `${wake.replies} of ${n} channels reply.`,
    );

  const { highestV, lowestV, packV, sumV } = wake;
  const { cells: cellsAChannel, count } = wakeUnit(pack);
  const known = highestV !== null && lowestV !== null;
  if (!known) add('bounds', 'missing', 'Highest and lowest channel are not known.');
  else if (lowestV > highestV) add('bounds', 'wrong', 'The lowest channel is above the highest.');
  else {
    const bad = [lowestV, highestV]
      .map((v) => judgeVoltage(pack.profile, cellsAChannel, v, 'board'))
      .find((j) => OUT_OF_BOUNDS.has(j.state));
    add(
      'bounds',
      bad ? 'wrong' : 'right',
      bad ? bad.says : 'Lowest and highest lie between floor and ceiling.',
    );
  }

  if (packV === null || (sumV === null && !known))
    add('sum', 'missing', packV === null ? 'The pack voltage is not known.' : 'The sum is not known.');
  else {
    const tolerance = SUM_SHARE * packV + SUM_V;
    // Without a sum, all channels together lie between as many of the lowest and as many of the highest.
    const [low, high] = sumV !== null ? [sumV, sumV] : [lowestV! * count, highestV! * count];
    const off = packV < low ? low - packV : packV > high ? packV - high : 0;
    const of =
      sumV !== null
        ? `the sum of channels, ${f(sumV, 1)} V`
        : `${n} channels, ${f(low, 1)} to ${f(high, 1)} V`;
    // A sum that its own extremes cannot make is of another pack, or a slip.
    const slip =
      sumV !== null &&
      known &&
      wake.replies === n &&
      (sumV < lowestV * count - tolerance || sumV > highestV * count + tolerance);
    if (slip) add('sum', 'wrong', `A sum of ${f(sumV, 1)} V does not fit highest and lowest.`);
    else
      add(
        'sum',
        off <= tolerance ? 'right' : 'wrong',
        off <= tolerance
          ? `Pack ${f(packV, 1)} V agrees with ${of}.`
          : `Pack ${f(packV, 1)} V is ${f(off, 1)} V from ${of}; ${f(tolerance, 1)} V may be.`,
      );
  }

  let deltaMv: number | null = null;
  let deltaAh: WakeJudged['deltaAh'] = null;
  if (!known || lowestV > highestV) add('delta', 'missing', 'No delta without highest and lowest.');
  else {
    deltaMv = (highestV - lowestV) * 1000;
    const middle = packV !== null ? packV / cells : (highestV + lowestV) / (2 * cellsAChannel);
    const judged = judgeDelta(deltaMv / cellsAChannel, ocvCurve(pack.profile.ocv).socAt(middle), pack);
    const limitMv = judged.limitMv * cellsAChannel;
    const rated = pack.profile.ratedCapacityAh;
    deltaAh = { low: judged.share.low * rated, high: judged.share.high * rated };
    const charge = `${f(deltaAh.low, 1)} to ${f(deltaAh.high, 1)} A·h of the rated ${f(rated, 0)}`;
    const shown = `Delta ${f(deltaMv, 0)} mV`;
    if (judged.state === 'beyond')
      add('delta', 'wrong', `${shown}, limit ${f(limitMv, 0)} at this charge; ${charge}.`);
    else if (judged.state === 'cannot-tell')
      add(
        'delta',
        'open',
        `${shown} is within its limit, but on this flat of the curve it may be ${charge}: look again near full.`,
      );
    else add('delta', 'right', `${shown}, limit ${f(limitMv, 0)} at this charge; ${charge}.`);
  }

  const { coldestC, warmestC } = wake;
  if (coldestC === null || warmestC === null) add('temperatures', 'missing', 'Temperatures are not known.');
  else {
    const mostC = limitValue(pack.profile, 'temperatureMostC');
    const apart = warmestC - coldestC;
    const bad =
      apart < 0
        ? 'the warmest is below the coldest'
        : warmestC > mostC
          ? `${f(warmestC, 0)} °C is above ${f(mostC, 0)} °C`
          : apart > SENSORS_AGREE_C
            ? `${f(apart, 1)} °C apart, ${SENSORS_AGREE_C} may be in a pack that has stood`
            : '';
    add(
      'temperatures',
      bad === '' ? 'right' : 'wrong',
      bad === '' ? `Temperatures agree, ${f(coldestC, 0)} to ${f(warmestC, 0)} °C.` : `Temperatures: ${bad}.`,
    );
  }

  if (wake.codes === null) add('codes', 'missing', 'Codes were not read.');
  else
    add(
      'codes',
      wake.codes.length === 0 ? 'right' : 'wrong',
      wake.codes.length === 0 ? 'No code.' : `Codes: ${wake.codes.join(', ')}.`,
    );
  return { points, passed: points.every((p) => p.state === 'right' || p.state === 'open'), deltaMv, deltaAh };
}

/**
 * What a vehicle that is being read tells of a pack that was woken: channels that reply, extremes, sum, temperatures where it
 * reports more than one, codes once it has said which. Voltage of the pack itself is not among it: that is measured beside it.
 */
export function wakeOfLive(
  pack: Pack,
  live: {
    voltageV: readonly (number | null)[];
    sensorsC: Readonly<Record<string, number>>;
    codes: readonly { code: string }[];
    codesRead: boolean;
  },
): Wake {
  const { cells } = wakeUnit(pack);
  const known = live.voltageV.flatMap((v, i) =>
    v === null ? [] : [{ v, each: (v * cells) / pack.channels[i]!.cells }],
  );
  const each = known.map((k) => k.each);
  const sensors = Object.values(live.sensorsC);
  return {
    replies: known.length,
    highestV: each.length > 0 ? Math.max(...each) : null,
    lowestV: each.length > 0 ? Math.min(...each) : null,
    sumV: known.length === pack.channels.length ? known.reduce((s, k) => s + k.v, 0) : null,
    packV: null,
    coldestC: sensors.length > 1 ? Math.min(...sensors) : null,
    warmestC: sensors.length > 1 ? Math.max(...sensors) : null,
    codes: live.codesRead ? live.codes.map((c) => c.code) : null,
  };
}
