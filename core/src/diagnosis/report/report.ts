import {
  chemistryName,
  factsOf,
  limitValue,
  measured,
  notMeasured,
  scaled,
  type Chemistry,
  type Measured,
  type Pack,
} from '../../pack';
import { costOfSuspects, rangeKm, usableCapacity, type GroupState } from '../../range';
import { findSegments, restPoints, type ScanRecord, type Segment } from '../../scan';
import { lookAbsolutely, type AbsoluteLook, type OutOfBounds } from '../record/absoluteLimits';
import { consequenceOf } from '../decide/consequence';
import { diagnose, type ChannelEstimate } from '../decide/diagnose';
import { endsOf } from '../record/chargeEnds';
import { withChargeGaps } from '../record/unloggedCharge';
import { weighTerminalReadings, type MeterReading } from '../ask/terminalCheck';
import { fullLoadOf, type FullLoad } from '../record/fullLoad';
import { glitchesOf, type Glitches } from '../record/glitches';
import { nextTest, rankTests, type RankedTest } from '../ask/nextTest';
import { packTotalOf, weighPackVoltage, type PackTotal } from '../decide/packVoltageCheck';
import { shownAgainstCells } from '../record/reportedCharge';
import { findSignatures, signatureFinding } from '../record/signatures';
import { spreadAt, type Spread } from '../record/restSpread';
import { median } from '../../numerics/robustStatistics';
import type { Difference } from '../decide/policy';
import { temperatureSpread, type TemperatureSpread } from '../record/temperatureSpread';
import { CAPACITY_TOLD_SD, chargeToCount, type Alone } from '../cell/typicalCell';
import type { ChannelFinding } from '../verdict';
import { weighWarmth } from '../decide/warmOnly';

/** A finding with what it costs the vehicle. */
export interface CostedFinding extends ChannelFinding {
  channelIndex: number;
  costAh: Measured;
  costKm: Measured;
  /** What it does to the vehicle, with figures where the record measures them; empty where nothing can be said. */
  consequence?: string;
}

/**
 * How sure a verdict on a module is: as sure as the least sure of its channels with that verdict.
 * `sureness([{module:'M07',verdict:'low-capacity',confidence:0.99},{…,confidence:0.97}], first)` is 0.97.
 */
export function sureness(
  findings: readonly Pick<CostedFinding, 'module' | 'verdict' | 'confidence'>[],
  of: Pick<CostedFinding, 'module' | 'verdict'>,
): number {
  return Math.min(
    ...findings.filter((f) => f.module === of.module && f.verdict === of.verdict).map((f) => f.confidence),
  );
}

/** One end of the tilt picture: charge of each channel against the pack's median, as a share of the capacity. */
export interface TiltEnd {
  socFraction: number;
  /** Null for a channel that was not read at this end. */
  deltaSocFraction: (number | null)[];
}

/** What is to be said of the pack as a whole, before any channel. */
export const PACK_VERDICTS = ['ok', 'aged', 'over-discharged', 'over-charged'] as const;
export type PackVerdict = (typeof PACK_VERDICTS)[number];

/** Everything Findings shows, computed from one record. Plain data: it can be stored and compared. */
export interface SpreadReport {
  pack: { verdict: PackVerdict; reasons: string[] };
  /** What of the record was judged and not recorded, in plain words. Left out by earlier versions. */
  judged?: string[];
  segments: Segment[];
  /** Settled volts of each channel, whatever they mean; null where never read. */
  settledV: (number | null)[];
  outOfBounds: OutOfBounds[];
  nearFull: Spread | null;
  nearEmpty: Spread | null;
  tilt: { from: TiltEnd; to: TiltEnd } | null;
  findings: CostedFinding[];
  /** What differs for certain and does no harm: named, never accused. Left out by earlier versions. */
  differences?: Difference[];
  channels: ChannelEstimate[];
  /** Capacity of the typical channel, and as a share of the rating. */
  capacityAh: Measured;
  health: Measured;
  resistanceMilliohm: Measured;
  usableAh: Measured;
  usableKm: Measured;
  /** All suspects mended. */
  mendedAh: Measured;
  mendedKm: Measured;
  /** What the fit worked with, priors and all: for further computing, never to be shown. Null where nothing was fitted. */
  working: {
    capacityAh: number;
    capacitySdAh: number;
    startSocFraction: number;
    endSocFraction: number;
  } | null;
  nextTest: string;
  /** Tests that would settle something, best first. */
  tests: RankedTest[];
  temperature: TemperatureSpread | null;
  /** Channels metered at their terminals, with the volts that were weighed in. */
  metered: MeterReading[];
  /** The pack's own voltage against the sum of its channels; left out where the record does not hold it. */
  total?: PackTotal;
  /** What the vehicle says of the whole pack and its cells do not bear out. Left out by earlier versions. */
  contradicts?: string[];
  /** The strongest pull, and how far each channel sagged; null where there was none. Left out by earlier versions. */
  fullLoad?: FullLoad | null;
  /** Readings that leaped while the pack stood still; null where that could not be looked for. Left out by earlier versions. */
  jumps?: Glitches[] | null;
}

/** Tests shown to choose from. */
const MOST_TESTS = 8;
/** The same of a resistance. */
const RESISTANCE_SD = 0.25;
/** Changes of current below this share of the rated capacity an hour tell no resistance. Common practice, no source. */
const LEAST_LOAD = 0.05;
/** A typical channel that holds less than this of its rating has aged. Common practice, no source. */
export const AGED_BELOW = 0.8;

const pct = (v: number): string => `${Math.round(v * 100)} %`;

/** Capacity of the typical channel, if the record counted enough charge. */
function capacityOf(alone: Alone | null, chemistry: Chemistry): Measured {
  const flat = factsOf(chemistry).flat !== null;
  const test = `Log the current and the voltages over a drive or a charge of at least ${pct(chargeToCount(chemistry))} of charge${flat ? ', from near full' : ''}.`;
  if (!alone || alone.spanFraction < 0.02)
    return notMeasured('No charge was counted: the record holds no current over a span of charge.', test);
  if (!(alone.capacitySdAh < CAPACITY_TOLD_SD * alone.capacityAh))
    return notMeasured(
      `The record counted only ${pct(alone.spanFraction)} of charge${flat ? ', and the curve is flat' : ', or lies where the curve is flat'}.`,
      test,
    );
  return measured(
    alone.capacityAh,
    alone.capacitySdAh,
    `${pct(alone.spanFraction)} of charge counted between voltages`,
    0,
  );
}

/** Ohmic resistance of the typical channel, if the current changed enough. */
function resistanceOf(alone: Alone | null, pack: Pack): Measured {
  const test = 'Log a drive with strong changes of load.';
  if (!alone) return notMeasured('The record holds no current.', test);
  if (alone.currentSpanA < LEAST_LOAD * pack.profile.ratedCapacityAh)
    return notMeasured('The current hardly changed.', test);
  if (!(alone.resistanceOhm > 0 && alone.resistanceSdOhm < RESISTANCE_SD * alone.resistanceOhm))
    return notMeasured('The record is too coarse to tell resistance.', test);
  const each = 1000 * median(pack.channels.map((c) => c.cells));
  return measured(
    alone.resistanceOhm * each,
    alone.resistanceSdOhm * each,
    'changes of current in the record',
    0,
  );
}

/** Capacity and charge of every channel, as one string. */
export function groupStates(
  channels: readonly ChannelEstimate[],
  count: number,
  typicalCapacityAh: number,
  socFraction: number,
): GroupState[] {
  const states: GroupState[] = Array.from({ length: count }, () => ({
    capacityAh: typicalCapacityAh,
    socFraction,
  }));
  for (const c of channels) {
    const capacityAh = typicalCapacityAh * (c.capacityRatio?.value ?? 1);
    states[c.channelIndex] = {
      capacityAh,
      socFraction: Math.min(1, Math.max(0, socFraction + c.deltaSoc.value)),
    };
  }
  return states;
}

/** A range from a usable capacity, in proportion to the rated pair. */
export function kmOf(ah: Measured, pack: Pack): Measured {
  const { ratedCapacityAh, ratedRangeKm } = pack.profile;
  return ratedRangeKm
    ? scaled(ah, rangeKm(1, ratedCapacityAh, ratedRangeKm))
    : notMeasured('The pack profile holds no rated range.', 'Enter the rated range in the pack profile.');
}

/** A report on a pack that is beyond its floor or ceiling as a whole: nothing in it is compared. */
function beyondCompare(
  record: ScanRecord,
  pack: Pack,
  look: AbsoluteLook & { pack: 'over-discharged' | 'over-charged' },
  segments: Segment[],
  metered: readonly MeterReading[],
): SpreadReport {
  const indexOf = new Map(pack.channels.map((c) => [c.id, c.index]));
  const none = notMeasured(
    `The pack is ${look.pack}: nothing is measured by comparing its channels.`,
    'First decide what becomes of it.',
  );
  const found = findSignatures(record, pack, look)
    .filter((s) => s.kind !== 'stuck')
    .map((s) => signatureFinding(s, pack));
  return {
    pack: { verdict: look.pack, reasons: look.reasons },
    segments,
    settledV: look.settledV.map((v) => (Number.isNaN(v) ? null : v)),
    outOfBounds: look.outOfBounds,
    nearFull: null,
    nearEmpty: null,
    tilt: null,
    findings: found.map((f) => ({ ...f, channelIndex: indexOf.get(f.channel)!, costAh: none, costKm: none })),
    channels: [],
    capacityAh: none,
    health: none,
    resistanceMilliohm: none,
    usableAh: none,
    usableKm: none,
    mendedAh: none,
    mendedKm: none,
    working: null,
    nextTest:
      look.pack === 'over-discharged'
        ? 'Meter the lowest and the highest channel at their terminals, in gloves. Do not charge, jump or scan it under load: scrap unless a supervised recovery is decided.'
        : 'Meter the highest channel at its terminals, in gloves, from the side. No charging: quarantine until the maker or a licensed specialist has said how it is brought down.',
    tests: [],
    temperature: temperatureSpread(record),
    metered: [...metered],
  };
}

/**
 * Diagnosis, spread at both ends, tilt and costs of one record, with what was metered at the terminals since. Floor
 * and ceiling come first: a pack beyond them is told as such, and nothing in it is compared.
 * @param known a capacity that another record of the same pack measured.
 */
export function spreadReport(
  given: ScanRecord,
  pack: Pack,
  metered: readonly MeterReading[] = [],
  known?: Measured,
): SpreadReport {
  const record = withChargeGaps(given, pack);
  const segments = findSegments(record);
  const points = restPoints(record, segments);
  const look = lookAbsolutely(record, pack, points);
  if (look.pack) return beyondCompare(record, pack, { ...look, pack: look.pack }, segments, metered);
  const condemned = new Set(look.outOfBounds.map((o) => o.channelIndex));
  const rests = points.map((p) => spreadAt(p, pack, condemned));
  const { nearFull, nearEmpty } = endsOf(rests);
  const d = diagnose(record, pack, look);
  const { trajectory } = d.observed;
  const indexOf = new Map(pack.channels.map((c) => [c.id, c.index]));
  const warmed = weighWarmth(d.findings, record, pack, trajectory);
  const byTotal = weighPackVoltage(warmed, packTotalOf(record, pack), look.settledV, pack);
  const found = weighTerminalReadings(byTotal.findings, metered, rests[rests.length - 1] ?? null, pack);
  // A reading that is wrong says nothing of the cell behind it.
  const wrong = new Set(found.filter((f) => f.verdict === 'sense-fault').map((f) => indexOf.get(f.channel)!));
  const channels = d.channels.filter((c) => !wrong.has(c.channelIndex));
  const own = capacityOf(trajectory.alone, pack.profile.chemistry);
  const resistanceMilliohm = resistanceOf(trajectory.alone, pack);
  const capacityAh = known?.measured && !own.measured ? known : own;
  const health = scaled(capacityAh, 1 / pack.profile.ratedCapacityAh);
  const dead = found.filter((f) => f.verdict === 'dead');
  const typicalAh = capacityAh.measured ? capacityAh.value : trajectory.capacityAh;
  const states = groupStates(channels, pack.channels.length, typicalAh, d.startSocFraction);
  const now = usableCapacity(states);
  const real = found.filter((f) => f.verdict === 'low-capacity' || f.verdict === 'imbalance');
  const typical: GroupState = { capacityAh: typicalAh, socFraction: d.startSocFraction };
  // What is mended is a module, so its channels are weighed together.
  const modules = [...new Set(real.map((f) => f.module))];
  const costs = costOfSuspects(
    states,
    modules.map((m) => real.filter((f) => f.module === m).map((f) => indexOf.get(f.channel)!)),
    typical,
  );
  const ratioSd = channels.reduce((most, c) => Math.max(most, c.capacityRatio?.sd ?? 0, c.deltaSoc.sd), 0);
  /** Charge computed from the measured capacity and the channels' shares of it, with both errors. */
  const charge = (ah: number): Measured =>
    capacityAh.measured
      ? measured(
          ah,
          Math.hypot(
            (ah * (capacityAh.high - capacityAh.low)) / 4 / capacityAh.value,
            ratioSd * capacityAh.value,
          ),
          capacityAh.from,
          0,
        )
      : capacityAh;
  const noCost = notMeasured('What it costs is not told by this verdict.', 'Measure it on the bench.');
  const findings = found.map((f): CostedFinding => {
    const costAh = real.includes(f) ? charge(costs.costAh[modules.indexOf(f.module)]!) : noCost;
    const channelIndex = indexOf.get(f.channel)!;
    return {
      ...f,
      channelIndex,
      costAh,
      costKm: kmOf(costAh, pack),
      consequence: consequenceOf(f, { pack, channelIndex, capacityAh, resistanceMilliohm }),
    };
  });
  const size = (m: Measured): number => (m.measured ? m.value : 0);
  findings.sort(
    (a, b) =>
      Number(b.verdict === 'dead') - Number(a.verdict === 'dead') ||
      size(b.costAh) - size(a.costAh) ||
      (a.estimate.capacityRatio ?? 1) - (b.estimate.capacityRatio ?? 1) ||
      b.detect - a.detect,
  );
  const end = (s: Spread): TiltEnd => ({
    socFraction: s.medianSocFraction,
    deltaSocFraction: s.channels.map((c) => c.deltaSocFraction),
  });
  const already = new Set(metered.map((m) => pack.channels[m.channelIndex]!.id));
  const blocked: Measured | null =
    dead.length > 0
      ? notMeasured(
          `${dead
            .map((f) => f.channel)
            .slice(0, 3)
            .join(', ')} gives nothing: the string is limited by what is dead.`,
          'Replace or recover it first.',
        )
      : null;
  const usableAh = blocked ?? charge(now.usableAh);
  const mendedAh = blocked ?? charge(costs.mendedAh);
  const aged = findings.length === 0 && health.measured && health.value < AGED_BELOW;
  return {
    pack: {
      verdict: aged ? 'aged' : 'ok',
      reasons: [
        ...(aged && health.measured
          ? [
              `All channels alike hold ${pct(health.value)} of the rating (${pct(health.low)} to ${pct(health.high)}).`,
            ]
          : []),
        ...lowAltogether(look, pack),
      ],
    },
    judged: record.assumed ? record.notices : [],
    segments,
    settledV: look.settledV.map((v) => (Number.isNaN(v) ? null : v)),
    outOfBounds: look.outOfBounds,
    nearFull,
    nearEmpty,
    tilt: nearFull && nearEmpty ? { from: end(nearFull), to: end(nearEmpty) } : null,
    findings,
    differences: d.differences,
    channels,
    capacityAh,
    health,
    resistanceMilliohm,
    usableAh,
    usableKm: kmOf(usableAh, pack),
    mendedAh,
    mendedKm: kmOf(mendedAh, pack),
    working: {
      capacityAh: trajectory.capacityAh,
      capacitySdAh: trajectory.capacitySdAh,
      startSocFraction: d.startSocFraction,
      endSocFraction: d.endSocFraction,
    },
    nextTest: nextTest(findings, nearFull, nearEmpty, pack, already),
    tests: rankTests(findings, nearFull, nearEmpty, pack, already).slice(0, MOST_TESTS),
    fullLoad: fullLoadOf(record, pack),
    jumps: glitchesOf(given, pack),
    temperature: temperatureSpread(record),
    metered: [...metered],
    ...(byTotal.total && { total: byTotal.total }),
    contradicts: [byTotal.total?.says ?? '', shownAgainstCells(record, points, pack)].filter(Boolean),
  };
}

/** A pack that is not beyond its limits, but nearly. */
function lowAltogether(look: AbsoluteLook, pack: Pack): string[] {
  const perCell = median(
    look.settledV.map((v, i) => v / pack.channels[i]!.cells).filter((v) => !Number.isNaN(v)),
  );
  const { emptyV, fullV } = cellBounds(pack);
  if (perCell < emptyV)
    return [
      `The typical ${chemistryName(pack.profile.chemistry)} cell stands at ${perCell.toFixed(2)} V, below empty (${emptyV} V): charge it soon, watched, by the maker’s procedure.`,
    ];
  if (perCell > fullV)
    return [`The typical cell stands at ${perCell.toFixed(2)} V, above full (${fullV} V): no charging.`];
  return [];
}

const cellBounds = (pack: Pack): { emptyV: number; fullV: number } => ({
  emptyV: limitValue(pack.profile, 'cellEmptyV'),
  fullV: limitValue(pack.profile, 'cellFullV'),
});
