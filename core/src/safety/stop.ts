/** What makes somebody press Stop. */
export const STOP_KINDS = ['hot', 'hissing', 'swollen', 'smoke', 'unexpected voltage'] as const;
export type StopKind = (typeof STOP_KINDS)[number];

/** General cautions of the trade; the maker's emergency guide and the local fire service always come first. */
export const STOP_ADVICE: Record<StopKind, { first: string[]; watch: boolean; clear: boolean }> = {
  hot: {
    first: [
      'Stop charging and discharging; cut the supply from a distance.',
      'Keep people away and flammables clear; open doors for air.',
      'If it can be moved without touching it bare and without risk, bring it outdoors to the quarantine place.',
      'Log its temperature from a distance until it is below 45 °C and falls for an hour on end.',
    ],
    watch: true,
    clear: false,
  },
  hissing: {
    first: [
      'Leave at once and take the others along: the gas is toxic and can ignite.',
      'Close doors behind you, air the hall from outside, keep upwind.',
      'Call the fire service and say that it is a traction battery.',
    ],
    watch: true,
    clear: true,
  },
  swollen: {
    first: [
      'Do not press, clamp, charge or pierce it.',
      'Bring it outdoors to the quarantine place on an insulating, non-burning tray.',
      'Log its temperature; a swollen cell can go on hours later.',
    ],
    watch: true,
    clear: false,
  },
  smoke: {
    first: [
      'Everybody out, upwind. Do not breathe it: hydrogen fluoride burns the lungs.',
      'Call the fire service: traction battery on fire, lithium or NiMH, voltage, place.',
      'Do not open a pack that smokes. Water for cooling is for the fire service to decide.',
    ],
    watch: true,
    clear: true,
  },
  'unexpected voltage': {
    first: [
      'Hands off. Gloves on, nobody touches the unit or the vehicle.',
      'The gate is closed: the pack counts as energised.',
      'Find the source before anything else: contactor welded, capacitor, second string, wrong point measured.',
      'Prove dead again from the start.',
    ],
    watch: false,
    clear: false,
  },
};

/** Minutes between two logged temperatures of a thermal watch. Common practice, no source. */
export const WATCH_EVERY_MIN = 15;

/** A watch does not end while the case is warmer than this, °C. Common practice, no source. */
export const WATCH_ENDS_BELOW_C = 45;

/** Shorter spans give no rate, s. */
const RATE_FROM_S = 300;

export interface WatchPoint {
  timeS: number;
  temperatureC: number;
}

/** What logged temperatures say: rising is an emergency, falling for an hour, and no longer hot, lets the watch end. */
export function judgeWatch(points: readonly WatchPoint[]): {
  state: 'no reading' | 'rising' | 'steady' | 'falling' | 'may end';
  perHourK: number;
} {
  if (points.length === 0) return { state: 'no reading', perHourK: 0 };
  const sorted = [...points].sort((a, b) => a.timeS - b.timeS);
  const last = sorted[sorted.length - 1]!;
  const recent = sorted.filter((p) => last.timeS - p.timeS <= 3600 + 120);
  if (recent.length < 2) return { state: 'steady', perHourK: 0 };
  const n = recent.length;
  const t = recent.reduce((s, p) => s + p.timeS, 0) / n;
  const c = recent.reduce((s, p) => s + p.temperatureC, 0) / n;
  let num = 0;
  let den = 0;
  for (const p of recent) {
    num += (p.timeS - t) * (p.temperatureC - c);
    den += (p.timeS - t) ** 2;
  }
  const spanS = last.timeS - recent[0]!.timeS;
  const climbK = last.temperatureC - recent[0]!.temperatureC;
  // Within the first minutes a rate means little; a climb is a climb all the same.
  if (spanS < RATE_FROM_S)
    return { state: climbK > 1 ? 'rising' : climbK < -1 ? 'falling' : 'steady', perHourK: 0 };
  const perHourK = den > 0 ? (num / den) * 3600 : 0;
  const falls = recent.every((p, i) => i === 0 || p.temperatureC <= recent[i - 1]!.temperatureC + 0.3);
  if (perHourK > 1) return { state: 'rising', perHourK };
  const cooled = last.temperatureC <= WATCH_ENDS_BELOW_C;
  if (perHourK < -0.2 && falls && cooled && spanS >= 3500) return { state: 'may end', perHourK };
  return { state: perHourK < -0.5 ? 'falling' : 'steady', perHourK };
}

/**
 * Whether a thermal watch may end by its rule, and if not, why: the temperature is below the limit and has fallen for
 * an hour, and the least time of the plan has gone by.
 */
export function watchMayEnd(
  points: readonly WatchPoint[],
  sinceS: number,
  nowS: number,
  leastHours = 0,
): { ok: boolean; why: string } {
  const hours = (nowS - sinceS) / 3600;
  if (hours < leastHours)
    return {
      ok: false,
      why: `The watch runs for at least ${leastHours} h; ${hours.toFixed(1)} h have gone by.`,
    };
  const { state } = judgeWatch(points.filter((p) => p.timeS >= sinceS - 60));
  const last = points.reduce((a, b) => (b.timeS > a.timeS ? b : a), { timeS: -Infinity, temperatureC: NaN });
  // After a day or more a cool pack that no longer warms has nothing left to fall by.
  const calm =
    state === 'may end' ||
    (leastHours >= 24 &&
      (state === 'steady' || state === 'falling') &&
      last.temperatureC <= WATCH_ENDS_BELOW_C);
  const fresh = nowS - last.timeS <= (leastHours >= 24 ? 65 : WATCH_EVERY_MIN + 5) * 60;
  if (calm && fresh) return { ok: true, why: '' };
  return {
    ok: false,
    why:
      state === 'no reading'
        ? 'No temperature has been logged.'
        : calm
          ? 'The last temperature is too old: log one now.'
          : `The temperature has to be below ${WATCH_ENDS_BELOW_C} °C and fall for an hour; it is ${state}.`,
  };
}
