import { InputProblem } from '../problem';
import { ocvCurve } from '../pack';

/** `[state of charge, volts per cell]`, rising, linear between points. */
export type OcvTable = readonly (readonly [number, number])[];

/** Stretches of charge within which the rest voltage is a straight line, from `from` to `to` (either way). */
function stretches(ocv: OcvTable, from: number, to: number): [number, number][] {
  const [low, high] = from < to ? [from, to] : [to, from];
  const cuts = [low, ...ocv.map((p) => p[0]).filter((s) => s > low && s < high), high];
  const out = cuts.slice(1).map((b, i): [number, number] => [cuts[i]!, b]);
  return from < to ? out : out.reverse().map(([a, b]): [number, number] => [b, a]);
}

/** ∫ dx / (a + b·x) over a width, where the value is `start` at its beginning and `end` at its end; both of one sign. */
const overLine = (width: number, start: number, end: number): number =>
  Math.abs(end - start) < 1e-12 * Math.abs(start)
    ? width / start
    : (width * Math.log(end / start)) / (end - start);

export type BalanceMode = 'lowest' | 'highest' | 'top' | 'bottom';
export interface StringAsk {
  ocv: OcvTable;
  capacityAh: number[];
  groupVoltageV: number[];
  mode: BalanceMode;
  currentA: number;
  bleedOhm: number | null;
  /** How far each voltage may be off, V. */
  voltageErrorV?: number | undefined;
}
export interface StringAnswer {
  groupSoc: number[];
  /** To take out; negative is to put in. */
  moveAh: number[];
  moveAhInterval: [number, number][] | null;
  hoursConstantCurrent: number[];
  hoursResistor: (number | null)[] | null;
  totalHoursConstantCurrent: number;
  totalHoursResistor: number | null;
}

/** Charge to take out of each group, by its state of charge and that of the one all follow. */
function moves(soc: readonly number[], cap: readonly number[], mode: BalanceMode): number[] {
  switch (mode) {
    case 'lowest': {
      const to = Math.min(...soc);
      return soc.map((s, i) => (s - to) * cap[i]!);
    }
    case 'highest': {
      const to = Math.max(...soc);
      return soc.map((s, i) => (s - to) * cap[i]!);
    }
    case 'top': {
      // Full at the same moment: what each lacks is the most that any lacks.
      const lacks = soc.map((s, i) => (1 - s) * cap[i]!);
      const most = Math.max(...lacks);
      return lacks.map((l) => most - l);
    }
    case 'bottom': {
      const holds = soc.map((s, i) => s * cap[i]!);
      const fewest = Math.min(...holds);
      return holds.map((h) => h - fewest);
    }
  }
}

/**
 * Charge to move in a string at rest, and the hours: all groups at once, the slowest counts. A bleed resistor draws OCV/R, which
 * falls as the group does. numbers.md, balancing.
 */
export function balanceString(ask: StringAsk): StringAnswer {
  const { ocv, capacityAh, groupVoltageV, mode, currentA, bleedOhm, voltageErrorV } = ask;
  if (capacityAh.length !== groupVoltageV.length)
    throw new InputProblem(
      'shape',
      `${capacityAh.length} capacities and ${groupVoltageV.length} voltages.`,
      'capacityAh, groupVoltageV',
      'One of each a group.',
    );
  const curve = ocvCurve(ocv);
  const groupSoc = groupVoltageV.map((v) => curve.socAt(v));
  const moveAh = moves(groupSoc, capacityAh, mode);
  const e = voltageErrorV ?? 0;
  const interval =
    voltageErrorV === undefined
      ? null
      : moveAh.map((_, i): [number, number] => {
          // The group off one way, all others the other way: the widest that errors of this size allow.
          const at = (own: number): number =>
            moves(
              groupVoltageV.map((v, k) => curve.socAt(v + (k === i ? own : -own))),
              capacityAh,
              mode,
            )[i]!;
          const [a, b] = [at(-e), at(e)];
          return [Math.min(a, b, moveAh[i]!), Math.max(a, b, moveAh[i]!)];
        });
  const hoursConstantCurrent = moveAh.map((q) => Math.abs(q) / currentA);
  const bleedHours = (i: number): number | null => {
    const q = moveAh[i]!;
    if (q < -1e-12) return null;
    const c = capacityAh[i]!;
    return stretches(ocv, groupSoc[i]!, groupSoc[i]! - q / c).reduce(
      (h, [a, b]) => h + bleedOhm! * c * overLine(a - b, curve.voltageAt(a), curve.voltageAt(b)),
      0,
    );
  };
  const hoursResistor = bleedOhm === null ? null : moveAh.map((_, i) => bleedHours(i));
  return {
    groupSoc,
    moveAh,
    moveAhInterval: interval,
    hoursConstantCurrent,
    hoursResistor,
    totalHoursConstantCurrent: Math.max(0, ...hoursConstantCurrent),
    totalHoursResistor:
      hoursResistor === null || hoursResistor.some((h) => h === null)
        ? null
        : Math.max(0, ...hoursResistor.map((h) => h!)),
  };
}

export interface CcCvAsk {
  ocv: OcvTable;
  cellsInSeries: number;
  capacityAh: number;
  socStart: number;
  socTarget: number;
  /** At the supply's own terminals. */
  supplyLimitV: number;
  supplyLimitA: number;
  leadOhm: number;
  internalOhm: number;
}
export interface CcCvAnswer {
  reachable: boolean;
  hours: number | null;
  ah: number;
  initialCurrentA: number;
  socAtCcEnd: number;
  hoursCc: number;
  /** Where the current dies away before the target; null where the target is reached. */
  socAsymptote: number | null;
}

/** Charging from a supply that limits current, then voltage: what the leads and the cells drop is lost to the target. */
export function chargeCcCv(ask: CcCvAsk): CcCvAnswer {
  const { ocv, cellsInSeries: n, capacityAh, socStart, socTarget, supplyLimitV, supplyLimitA } = ask;
  const curve = ocvCurve(ocv);
  const ohm = ask.leadOhm + ask.internalOhm;
  const openV = (s: number): number => n * curve.voltageAt(s);
  const top = ocv[ocv.length - 1]![0];
  const bottom = ocv[0]![0];
  /** The most charge at which the rest voltage is not above a value; null where none in the table is above. */
  const socWhere = (v: number): number | null =>
    openV(top) < v - 1e-12 ? null : openV(bottom) >= v ? bottom : curve.socAt(v / n);
  const socAsymptote = socWhere(supplyLimitV);
  const initialCurrentA = Math.max(
    0,
    ohm > 0
      ? Math.min(supplyLimitA, (supplyLimitV - openV(socStart)) / ohm)
      : openV(socStart) < supplyLimitV
        ? supplyLimitA
        : 0,
  );
  const reachable = openV(socTarget) < supplyLimitV - 1e-12 || socTarget <= socStart;
  const reaches = reachable ? Math.max(socStart, socTarget) : Math.max(socStart, socAsymptote ?? top);
  const ccEnd = socWhere(supplyLimitV - supplyLimitA * ohm) ?? top;
  const socAtCcEnd = Math.min(reaches, Math.max(socStart, ccEnd));
  const hoursCc = ((socAtCcEnd - socStart) * capacityAh) / supplyLimitA;
  // Then the current falls with the voltage that is left over: ∫ C·R / (V − OCV) ds.
  const hoursCv =
    !reachable || socAtCcEnd >= reaches
      ? 0
      : stretches(ocv, socAtCcEnd, reaches).reduce(
          (h, [a, b]) =>
            h + capacityAh * ohm * overLine(b - a, supplyLimitV - openV(a), supplyLimitV - openV(b)),
          0,
        );
  return {
    reachable,
    hours: reachable ? hoursCc + hoursCv : null,
    ah: (reaches - socStart) * capacityAh,
    initialCurrentA,
    socAtCcEnd,
    hoursCc,
    socAsymptote: reachable ? null : socAsymptote,
  };
}

export interface ParallelAsk {
  ocv: OcvTable;
  cellsInSeries: number;
  capacityAh: [number, number];
  soc: [number, number];
  internalOhm: [number, number];
  leadOhm: number;
  /** Rest voltages this near count as level. */
  deltaV: number;
}
export interface ParallelAnswer {
  /** Out of the first where positive. */
  initialCurrentA: number;
  hoursToDelta: number;
  ahMovedAtDelta: number;
  socAtDelta: [number, number];
  /** Where both come to rest: the state of charge of both together. */
  socEquilibrium: number;
  /** Of each: on a flat of the curve, or where one is empty or full first, they differ. */
  socAtRest: [number, number];
  ahMovedAtEquilibrium: number;
}

/** Two modules side by side: the difference of their rest voltages drives what flows, and dies away with it. */
export function parallel(ask: ParallelAsk): ParallelAnswer {
  const {
    ocv,
    cellsInSeries: n,
    capacityAh: [c1, c2],
    soc: [s1, s2],
    deltaV,
  } = ask;
  const curve = ocvCurve(ocv);
  const ohm = ask.internalOhm[0] + ask.internalOhm[1] + ask.leadOhm;
  if (!(ohm > 0))
    throw new InputProblem(
      'ohm',
      'No resistance in the loop.',
      'internalOhm, leadOhm',
      'More than 0 Ω in all.',
    );
  const gap = (q: number): number => n * (curve.voltageAt(s1 - q / c1) - curve.voltageAt(s2 + q / c2));
  const first = gap(0);
  const sign = first >= 0 ? 1 : -1;
  // The furthest that charge can go until one is empty or the other full.
  const [low, high] = [ocv[0]![0], ocv[ocv.length - 1]![0]];
  const most =
    sign > 0 ? Math.min((s1 - low) * c1, (high - s2) * c2) : Math.min((high - s1) * c1, (s2 - low) * c2);
  const cuts = [
    0,
    ...ocv.flatMap(([s]) => [sign * (s1 - s) * c1, sign * (s - s2) * c2]).filter((q) => q > 0 && q < most),
    most,
  ].sort((a, b) => a - b);
  const d = (q: number): number => sign * gap(sign * q);
  /** The first amount at which the difference is down to a level. */
  const whereDown = (level: number): number => {
    for (let i = 1; i < cuts.length; i++) {
      const [a, b] = [d(cuts[i - 1]!), d(cuts[i]!)];
      if (a <= level) return cuts[i - 1]!;
      if (b <= level) return cuts[i - 1]! + ((cuts[i]! - cuts[i - 1]!) * (a - level)) / (a - b);
    }
    return most;
  };
  const atDelta = whereDown(deltaV);
  let hours = 0;
  for (let i = 1; i < cuts.length && cuts[i - 1]! < atDelta; i++) {
    const to = Math.min(cuts[i]!, atDelta);
    if (to > cuts[i - 1]!) hours += ohm * overLine(to - cuts[i - 1]!, d(cuts[i - 1]!), d(to));
  }
  const level = whereDown(0);
  const at = (q: number): [number, number] => [s1 - (sign * q) / c1, s2 + (sign * q) / c2];
  return {
    initialCurrentA: first / ohm,
    hoursToDelta: hours,
    ahMovedAtDelta: sign * atDelta,
    socAtDelta: at(atDelta),
    // What flows out of one flows into the other: their charge together stays.
    socEquilibrium: (c1 * s1 + c2 * s2) / (c1 + c2),
    socAtRest: at(level),
    ahMovedAtEquilibrium: sign * level,
  };
}

export interface PreChargeAsk {
  packV: number;
  resistorOhm: number;
  capacitanceF: number;
  parallelLoadOhm: number | null;
}
export interface PreChargeAnswer {
  reaches95: boolean;
  t95S: number | null;
  finalV: number;
  peakCurrentA: number;
  peakPowerW: number;
  resistorEnergyTo95J: number | null;
  /** Null where a load on the bus keeps the resistor warm for ever. */
  resistorEnergyTotalJ: number | null;
  steadyResistorPowerW: number;
}

/** Filling the bus through a resistor; what loads the bus meanwhile decides whether it ever comes to 95 %. */
export function preChargeBus({
  packV,
  resistorOhm: r,
  capacitanceF: c,
  parallelLoadOhm,
}: PreChargeAsk): PreChargeAnswer {
  const share = parallelLoadOhm === null ? 1 : parallelLoadOhm / (r + parallelLoadOhm);
  const finalV = packV * share;
  const tau = r * share * c;
  const reaches95 = share > 0.95;
  const t95S = reaches95 ? -tau * Math.log(1 - 0.95 / share) : null;
  const rest = packV - finalV;
  /** Heat in the resistor until t: what it drops is `rest` and what the bus still lacks. */
  const heat = (t: number): number => {
    const e = Math.exp(-t / tau);
    return (
      (rest * rest * t + 2 * rest * finalV * tau * (1 - e) + ((finalV * finalV * tau) / 2) * (1 - e * e)) / r
    );
  };
  return {
    reaches95,
    t95S,
    finalV,
    peakCurrentA: packV / r,
    peakPowerW: (packV * packV) / r,
    resistorEnergyTo95J: t95S === null ? null : heat(t95S),
    resistorEnergyTotalJ: rest > 0 ? null : 0.5 * c * packV * packV,
    steadyResistorPowerW: (rest * rest) / r,
  };
}

export interface BleedAsk {
  startV: number;
  bleedOhm: number;
  capacitanceF: number;
  /** A converter or the like that draws as well. */
  constantCurrentA: number;
  targetV: number;
}

/** The bus emptied by its bleeder and by what draws a steady current: R·C·ln((V₀ + I·R)/(V + I·R)). */
export function bleedBus({ startV, bleedOhm: r, capacitanceF: c, constantCurrentA: i, targetV }: BleedAsk): {
  timeS: number;
  initialPowerW: number;
  storedJ: number;
} {
  return {
    timeS: startV <= targetV ? 0 : r * c * Math.log((startV + i * r) / (targetV + i * r)),
    initialPowerW: (startV * startV) / r + startV * i,
    storedJ: 0.5 * c * startV * startV,
  };
}

export type BalanceAsk =
  | ({ kind: 'string' } & StringAsk)
  | ({ kind: 'cc-cv' } & CcCvAsk)
  | ({ kind: 'parallel' } & ParallelAsk)
  | ({ kind: 'pre-charge' } & PreChargeAsk)
  | ({ kind: 'bleed-down' } & BleedAsk);

/** One of the questions of balancing. */
export function answerBalance(
  ask: BalanceAsk,
): StringAnswer | CcCvAnswer | ParallelAnswer | PreChargeAnswer | ReturnType<typeof bleedBus> {
  switch (ask.kind) {
    case 'string':
      return balanceString(ask);
    case 'cc-cv':
      return chargeCcCv(ask);
    case 'parallel':
      return parallel(ask);
    case 'pre-charge':
      return preChargeBus(ask);
    case 'bleed-down':
      return bleedBus(ask);
  }
}
