import {
  ANSWERS_SHARE,
  ANSWERS_WITHIN_S,
  BEYOND,
  chargeAtRest,
  JUMP_V,
  TOLD_V,
  type Answering,
} from './answering';
import type { LimitName, PlanStep } from './plan';

/** What a charger shows. Discharge is positive. */
export interface BenchReading {
  voltageV: number;
  currentA: number;
  /** Null where no sensor lies on the module. */
  temperatureC: number | null;
}
/** Where a run stands. Plain data: it is kept with every reading, and a run goes on from it. */
export interface ControlState {
  step: number;
  /** Run time, s: outputs that were off count for nothing. */
  timeS: number;
  stepFromS: number;
  stepAh: number;
  /** Charge that flowed out so far, and in, A·h. */
  outAh: number;
  inAh: number;
  /** Highest of the smoothed voltages of this step, V. */
  peakV: number | null;
  smoothV: number | null;
  /** The discharge came to its cut-off; of a hold, it fell below what it should have held. */
  emptied: boolean;
  /** Too warm to begin: no current until it has cooled. */
  cools: boolean;
  /** Since when the current is not what was set, or the voltage past −ΔV, run time, s. */
  strayFromS: number | null;
  fallenFromS: number | null;
  warm: [timeS: number, c: number][];
  last: BenchReading | null;
  /** Volts and amperes before the current of this step: what its voltage has to step away from. Left out in runs of before. */
  ref?: { voltageV: number; currentA: number } | null;
  /** The voltage has answered the current of this step. */
  answered?: boolean;
  /** Readings of this step so far. */
  readings?: number;
  /** From how much charge of this step on the voltage is watched, A·h, and how far it went since, V. */
  course?: { fromAh: number; lowV: number; highV: number } | null;
  /** Least and most charge in the module, A·h, by its rest voltage and what flowed since; null where nobody knows. */
  holds?: { leastAh: number; mostAh: number } | null;
}
export interface Setpoint {
  mode: 'rest' | 'charge' | 'discharge';
  currentA: number;
  /** Volts that a charge holds at most, and a discharge at least. */
  limitV: number;
}
export interface Decided {
  state: ControlState;
  /** `off`: the output comes off at once, and a person looks. */
  does: 'stay' | 'next' | 'done' | 'off';
  /** Why the step or the run ended; empty while it goes on. */
  says: string;
  limit: LimitName | null;
}

/** How much a reading may miss a limit that the charger itself holds, as a share. */
const HELD_WITHIN = 0.01;
/** A current is what was set within this share and this much, A; a source that hunts longer than that does something else, s. */
const CURRENT_SHARE = 0.15;
const CURRENT_A = 0.15;
const STRAY_S = 20;
/** A fall of voltage counts once it has stayed for so long, s, and not in the first minutes of a charge. */
const FALLEN_S = 25;
const SETTLES_S = 300;
/** Warming is told over this stretch, s. */
const WARMING_OVER_S = 120;
const WARM_KEPT_S = 300;
/** A step begins this far below its limit of warmth, K. */
const COOLS_BY_K = 5;
const COOLS_MOST_S = 2 * 3600;
/** An open sense lead, or a module that is not there, V. */
const NOTHING_V = 0.05;

export const beginControl = (): ControlState => ({
  step: 0,
  timeS: 0,
  stepFromS: 0,
  stepAh: 0,
  outAh: 0,
  inAh: 0,
  peakV: null,
  smoothV: null,
  emptied: false,
  cools: false,
  strayFromS: null,
  fallenFromS: null,
  warm: [],
  last: null,
  ref: null,
  answered: false,
  readings: 0,
  course: null,
  holds: null,
});

/** What the charger is told now. */
export function setpointOf(plan: readonly PlanStep[], state: ControlState): Setpoint {
  const s = plan[state.step]!;
  if (s.mode === 'rest' || state.cools) return { mode: 'rest', currentA: 0, limitV: s.limits.mostV };
  return {
    mode: s.mode,
    currentA: s.currentA,
    limitV: s.mode === 'charge' ? s.limits.mostV : s.limits.leastV,
  };
}

/** Rise of temperature over the last minutes, °C a minute; null while too little is known. Least squares. */
function warmingOf(warm: ControlState['warm']): number | null {
  const first = warm[0];
  if (!first || warm.length < 3 || warm.at(-1)![0] - first[0] < WARMING_OVER_S) return null;
  const n = warm.length;
  const [mt, mc] = [warm.reduce((s, w) => s + w[0], 0) / n, warm.reduce((s, w) => s + w[1], 0) / n];
  const over = warm.reduce((s, w) => s + (w[0] - mt) ** 2, 0);
  return over === 0 ? null : (60 * warm.reduce((s, w) => s + (w[0] - mt) * (w[1] - mc), 0)) / over;
}

const nextStep = (plan: readonly PlanStep[], s: ControlState): ControlState => {
  const next = plan[s.step + 1];
  const hot = s.last?.temperatureC ?? null;
  return {
    ...s,
    step: s.step + 1,
    stepFromS: s.timeS,
    stepAh: 0,
    peakV: null,
    smoothV: null,
    strayFromS: null,
    fallenFromS: null,
    warm: [],
    ref: s.last && { voltageV: s.last.voltageV, currentA: s.last.currentA },
    answered: false,
    readings: 0,
    course: null,
    cools: next !== undefined && next.mode !== 'rest' && hot !== null && hot > next.limits.mostC - COOLS_BY_K,
  };
};

/** What a run begins from: the module as it was read at rest, before any current. */
export const fromRest = (state: ControlState, rest: BenchReading): ControlState => ({
  ...state,
  last: null,
  strayFromS: null,
  fallenFromS: null,
  smoothV: null,
  warm: [],
  ref: { voltageV: rest.voltageV, currentA: rest.currentA },
  answered: false,
  readings: 0,
  course: null,
});

/**
 * Why a voltage is not believed: it does not step with the current, does not move while charge flows, or leaps while nothing was
 * changed. Empty while it may be the module's own. Keeps in `state` what it watches by.
 */
function unbelieved(
  a: Answering,
  step: PlanStep,
  before: ControlState,
  state: ControlState,
  reading: BenchReading,
  inStepS: number,
): string {
  const { voltageV, currentA } = reading;
  const last = before.last;
  if (voltageV < NOTHING_V)
    return `it shows ${round(voltageV, 2)} V while current flows: a lead is off, or the wrong way round`;
  const steady = last !== null && Math.abs(last.currentA - currentA) < 0.1 * step.currentA;
  if (steady && Math.abs(voltageV - last.voltageV) > JUMP_V * a.cells)
    return `the voltage leapt from ${round(last.voltageV, 2)} to ${round(voltageV, 2)} V while the current stayed the same`;
  if (!state.answered && before.ref) {
    const steppedA = currentA - before.ref.currentA;
    const hasToV = ANSWERS_SHARE * Math.abs(steppedA) * a.leastOhm;
    const didV = (before.ref.voltageV - voltageV) * Math.sign(steppedA);
    // What no meter tells for certain is left to the course.
    state.answered = hasToV < TOLD_V ? Math.abs(steppedA) > 0.5 * step.currentA : didV >= hasToV;
    if (!state.answered && inStepS >= ANSWERS_WITHIN_S && (state.readings ?? 0) >= 3)
      return `the voltage does not answer the current: ${round(1000 * didV, 0)} mV where ${round(Math.abs(steppedA), 1)} A make ${round(1000 * hasToV, 0)} mV at the least`;
  }
  // At constant voltage it stands still, and the current falls instead.
  const holdsV =
    step.mode === 'charge' &&
    voltageV >= step.limits.mostV * (1 - HELD_WITHIN) &&
    Math.abs(currentA) < 0.97 * step.currentA;
  const course = holdsV ? null : (before.course ?? null);
  const v = state.smoothV ?? voltageV;
  const now = course
    ? { fromAh: course.fromAh, lowV: Math.min(course.lowV, v), highV: Math.max(course.highV, v) }
    : { fromAh: state.stepAh, lowV: v, highV: v };
  state.course = now;
  if (state.stepAh - now.fromAh < a.windowAh) return '';
  state.course = null;
  return now.highV - now.lowV >= a.leastMoveV
    ? ''
    : `the voltage stood still while ${round(state.stepAh - now.fromAh, 1)} A·h flowed: it is not this module’s`;
}

/**
 * Why no more may flow by what was counted, whatever the voltage says; empty while it may.
 * @param aheadAh what flows until the next reading: it is stopped before, not after
 */
function beyondCounted(a: Answering, step: PlanStep, state: ControlState, aheadAh: number): string {
  const holds = state.holds;
  if (!holds) return '';
  const gentle = step.currentA <= a.gentleA * (1 + HELD_WITHIN);
  if (step.mode === 'charge' && !gentle && holds.leastAh + aheadAh > a.ratedAh * (1 + BEYOND))
    return `${round(holds.leastAh, 1)} A·h are in it by what was counted; it is rated ${round(a.ratedAh, 1)}`;
  if (step.mode === 'discharge' && holds.mostAh - aheadAh < -BEYOND * a.ratedAh)
    return `all that could be in it by what was counted has flowed out, and ${round(-holds.mostAh, 1)} A·h more`;
  return '';
}

/** Its last voltage under load was within a tenth of the cut-off: what stopped then was the load, not a lead. */
const nearCutoff = ({ last }: ControlState, leastV: number): boolean =>
  last !== null && last.voltageV < 1.1 * leastV;

const round = (v: number, d: number): string => v.toFixed(d);

/**
 * What one reading decides. Every way out that is not the recipe's own takes the output off. The charge is counted here, by the
 * trapezoid between readings.
 * @param tookS time since the reading before, run time, s
 */
export function decide(
  plan: readonly PlanStep[],
  before: ControlState,
  reading: BenchReading,
  tookS: number,
): Decided {
  const step = plan[before.step]!;
  const l = step.limits;
  const timeS = before.timeS + tookS;
  const lastA = before.last?.currentA ?? reading.currentA;
  const flowedAh = (((lastA + reading.currentA) / 2) * tookS) / 3600;
  const inStepS = timeS - before.stepFromS;
  const smoothV =
    before.smoothV === null
      ? reading.voltageV
      : before.smoothV + (reading.voltageV - before.smoothV) * Math.min(1, tookS / (tookS + 10));
  const settled = inStepS >= SETTLES_S;
  const peakV = settled ? Math.max(before.peakV ?? -Infinity, smoothV) : null;
  const warm =
    reading.temperatureC === null
      ? before.warm
      : [...before.warm, [timeS, reading.temperatureC] as [number, number]].filter(
          ([t]) => timeS - t <= Math.max(WARM_KEPT_S, 4 * tookS),
        );
  const state: ControlState = {
    ...before,
    timeS,
    stepAh: before.stepAh + Math.abs(flowedAh),
    outAh: before.outAh + Math.max(0, flowedAh),
    inAh: before.inAh + Math.max(0, -flowedAh),
    peakV,
    smoothV,
    warm: thinned(warm),
    last: reading,
    readings: (before.readings ?? 0) + 1,
    holds: holdsNow(step, before, flowedAh),
  };
  const off = (says: string, limit: LimitName | null = null): Decided => ({
    state,
    does: 'off',
    says,
    limit,
  });
  const crossed = (limit: LimitName, says: string): Decided => {
    if (step.then[limit] === 'off') return off(says, limit);
    const next = nextStep(plan, state);
    return { state: next, does: next.step >= plan.length ? 'done' : 'next', says, limit };
  };
  const { voltageV, currentA, temperatureC } = reading;
  if (
    ![voltageV, currentA].every(Number.isFinite) ||
    (temperatureC !== null && !Number.isFinite(temperatureC))
  )
    return off('it answered something else than volts, amperes and degrees');
  // A limit of warmth that nobody reads is none.
  if (temperatureC === null && step.mode !== 'rest' && !before.cools)
    return off('it shows no temperature: no current flows without a sensor on the module');
  if (temperatureC !== null && (temperatureC < -40 || temperatureC > 150))
    return off(`a temperature of ${round(temperatureC, 0)} °C cannot be: the sensor`);

  if (step.answers && !before.cools) {
    const lie = unbelieved(step.answers, step, before, state, reading, inStepS);
    if (lie !== '') return off(lie);
    const beyond = beyondCounted(step.answers, step, state, Math.abs(flowedAh));
    if (beyond !== '') return crossed('charge', beyond);
  }

  // Limits first, whatever else is going on.
  if (voltageV > l.mostV * (1 + HELD_WITHIN))
    return crossed('high voltage', `${round(voltageV, 2)} V, the limit is ${round(l.mostV, 2)} V`);
  if (Math.abs(currentA) > l.mostA * (1 + HELD_WITHIN) + 0.05)
    return crossed('current', `${round(Math.abs(currentA), 2)} A, the limit is ${round(l.mostA, 2)} A`);
  if (temperatureC !== null && temperatureC >= l.mostC && !before.cools)
    return crossed('heat', `${round(temperatureC, 0)} °C, the limit is ${round(l.mostC, 0)} °C`);

  if (before.cools) {
    if (temperatureC !== null && temperatureC <= l.mostC - 2 * COOLS_BY_K)
      return {
        state: {
          ...state,
          cools: false,
          stepFromS: timeS,
          ref: { voltageV, currentA },
          readings: 0,
        },
        does: 'stay',
        says: '',
        limit: null,
      };
    if (inStepS > COOLS_MOST_S) return off('it does not cool', 'heat');
    return { state, does: 'stay', says: '', limit: null };
  }

  const rate = warmingOf(state.warm);
  if (
    l.mostCPerMin !== null &&
    rate !== null &&
    rate > l.mostCPerMin &&
    (settled || step.then.warming === 'off')
  )
    return crossed(
      'warming',
      `it warms by ${round(rate, 1)} °C a minute, the limit is ${round(l.mostCPerMin, 1)}`,
    );

  // A load that ends by itself a little below has done so between two readings.
  const endedByItself =
    step.mode === 'discharge' &&
    !step.ohm &&
    currentA < 0.05 * step.currentA &&
    lastA > 0.5 * step.currentA &&
    voltageV > 0.5 * l.leastV;
  if (step.mode === 'discharge' && (voltageV < l.leastV || (endedByItself && nearCutoff(before, l.leastV)))) {
    state.emptied = true;
    // It is empty now, whatever was thought to be in it.
    if (state.holds) state.holds = { leastAh: 0, mostAh: Math.max(0, state.holds.mostAh) };
    return crossed('low voltage', `${round(voltageV, 2)} V, the cut-off is ${round(l.leastV, 2)} V`);
  }
  if (step.mode !== 'discharge' && inStepS > STRAY_S && voltageV < l.leastV * (1 - HELD_WITHIN)) {
    const answers = step.then['low voltage'] === 'next';
    state.emptied ||= answers;
    return crossed(
      'low voltage',
      answers
        ? `${round(voltageV, 2)} V, below the ${round(l.leastV, 2)} V that it had to hold`
        : `${round(voltageV, 2)} V, below the ${round(l.leastV, 2)} V that this step begins at`,
    );
  }

  // A source that does not do what it was told.
  const drawn = step.ohm ? voltageV / step.ohm : step.currentA;
  const wanted = step.mode === 'rest' ? 0 : step.mode === 'charge' ? -step.currentA : drawn;
  const tapering = step.mode === 'charge' && voltageV >= l.mostV * (1 - HELD_WITHIN) && currentA <= 0.05;
  const stray =
    Math.abs(currentA - wanted) > CURRENT_A + CURRENT_SHARE * Math.abs(wanted) &&
    !(tapering && Math.abs(currentA) < Math.abs(wanted));
  state.strayFromS = stray ? (before.strayFromS ?? timeS) : null;
  if (state.strayFromS !== null && timeS - state.strayFromS >= STRAY_S)
    return off(
      Math.abs(voltageV) < NOTHING_V
        ? 'it shows no voltage: a lead is off'
        : `it gives ${round(Math.abs(currentA), 1)} A where ${round(Math.abs(wanted), 1)} A were set`,
    );

  if (l.minusDeltaV !== null && peakV !== null) {
    const fallen = peakV - smoothV >= l.minusDeltaV;
    state.fallenFromS = fallen ? (before.fallenFromS ?? timeS) : null;
    if (state.fallenFromS !== null && timeS - state.fallenFromS >= FALLEN_S)
      return crossed('minus delta V', `the voltage fell by ${round((peakV - smoothV) * 1000, 0)} mV: full`);
  }
  if (state.stepAh >= l.mostAh)
    return crossed('charge', `${round(state.stepAh, 2)} A·h flowed, the limit is ${round(l.mostAh, 2)} A·h`);
  if (step.tapersToA !== null && tapering && Math.abs(currentA) <= step.tapersToA && inStepS > STRAY_S) {
    const next = nextStep(plan, state);
    return {
      state: next,
      does: next.step >= plan.length ? 'done' : 'next',
      says: `the current fell to ${round(Math.abs(currentA), 2)} A: full`,
      limit: null,
    };
  }
  if (step.lastsS !== null && inStepS >= step.lastsS) {
    const next = nextStep(plan, state);
    return {
      state: next,
      does: next.step >= plan.length ? 'done' : 'next',
      says: `${round(step.lastsS / 3600, 1)} h are over`,
      limit: null,
    };
  }
  if (inStepS >= l.mostS)
    return crossed(
      'time',
      `it took ${round(inStepS / 3600, 1)} h, the limit is ${round(l.mostS / 3600, 1)} h`,
    );
  return { state, does: 'stay', says: '', limit: null };
}

/** Charge in the module after what flowed since the last reading; at the beginning by its rest voltage. */
function holdsNow(step: PlanStep, before: ControlState, flowedAh: number): ControlState['holds'] {
  const known =
    before.holds ??
    (step.answers && before.ref && Math.abs(before.ref.currentA) < 0.05
      ? chargeAtRest(step.answers, before.ref.voltageV)
      : null);
  return known && { leastAh: known.leastAh - flowedAh, mostAh: known.mostAh - flowedAh };
}

/** Enough to tell a slope by, however fast readings come. */
function thinned(warm: ControlState['warm']): ControlState['warm'] {
  const out: ControlState['warm'] = [];
  warm.forEach((w, i) => {
    if (i === warm.length - 1 || out.length === 0 || w[0] - out.at(-1)![0] >= 10) out.push(w);
  });
  return out;
}
