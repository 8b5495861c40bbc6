import type { Pack } from '../pack';
import { endsOf } from './ends';
import { findSegments, restPoints, type ScanRecord, type Segment } from '../scan';
import { costOfSuspects, rangeKm, usableCapacity, type GroupState } from '../range';
import { diagnose, type ChannelEstimate } from './diagnose';
import { weighMeter, type MeterReading } from './meter';
import { nextTest, rankTests, type RankedTest } from './nextTest';
import { temperatureSpread, type TemperatureSpread } from './temperature';
import { spreadAt, type Spread } from './spread';
import { median } from './statistics';
import type { ChannelFinding } from './verdicts';

/** A finding with what it costs the vehicle. */
export interface CostedFinding extends ChannelFinding {
  channelIndex: number;
  costAh: number;
  costKm: number | null;
}

/** One end of the tilt picture: charge of each channel against the pack's median, A·h. */
export interface TiltEnd {
  socFraction: number;
  deltaAh: number[];
}

/** Everything Findings shows, computed from one record. Plain data: it can be stored and compared. */
export interface SpreadReport {
  segments: Segment[];
  nearFull: Spread | null;
  nearEmpty: Spread | null;
  tilt: { from: TiltEnd; to: TiltEnd } | null;
  findings: CostedFinding[];
  channels: ChannelEstimate[];
  typicalCapacityAh: number;
  typicalCapacitySdAh: number;
  typicalResistanceMilliohm: number;
  startSocFraction: number;
  endSocFraction: number;
  usableAh: number;
  usableKm: number | null;
  /** All suspects mended. */
  mendedAh: number;
  evenButAged: boolean;
  nextTest: string;
  /** Tests that would settle something, best first. */
  tests: RankedTest[];
  temperature: TemperatureSpread | null;
  /** Channels metered at their terminals, with the volts that were weighed in. */
  metered: MeterReading[];
}

/** Tests shown to choose from. */
const MOST_TESTS = 8;

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
    const capacityAh = typicalCapacityAh * c.capacityRatio.value;
    states[c.channelIndex] = {
      capacityAh,
      socFraction: Math.min(1, Math.max(0, socFraction + c.deltaSoc.value)),
    };
  }
  return states;
}

/** Diagnosis, spread at both ends, tilt and costs of one record, with what was metered at the terminals since. */
export function spreadReport(
  record: ScanRecord,
  pack: Pack,
  metered: readonly MeterReading[] = [],
): SpreadReport {
  const segments = findSegments(record);
  const rests = restPoints(record, segments).map((p) => spreadAt(p, pack));
  const { nearFull, nearEmpty } = endsOf(rests);
  const d = diagnose(record, pack);
  const indexOf = new Map(pack.channels.map((c) => [c.id, c.index]));
  const found = weighMeter(d.findings, metered, rests[rests.length - 1] ?? null, pack);
  // A reading that is wrong says nothing of the cell behind it.
  const wrong = new Set(found.filter((f) => f.verdict === 'sense-fault').map((f) => indexOf.get(f.channel)!));
  const channels = d.channels.filter((c) => !wrong.has(c.channelIndex));
  const { ratedCapacityAh, ratedRangeKm } = pack.profile;
  const km = (ah: number): number | null =>
    ratedRangeKm ? rangeKm(ah, ratedCapacityAh, ratedRangeKm) : null;
  const states = groupStates(channels, pack.channels.length, d.typicalCapacityAh, d.startSocFraction);
  const now = usableCapacity(states);
  const real = found.filter((f) => f.verdict === 'low-capacity' || f.verdict === 'imbalance');
  const typical: GroupState = { capacityAh: d.typicalCapacityAh, socFraction: d.startSocFraction };
  // What is mended is a module, so its channels are weighed together.
  const modules = [...new Set(real.map((f) => f.module))];
  const costs = costOfSuspects(
    states,
    modules.map((m) => real.filter((f) => f.module === m).map((f) => indexOf.get(f.channel)!)),
    typical,
  );
  const findings = found.map((f): CostedFinding => {
    const costAh = real.includes(f) ? costs.costAh[modules.indexOf(f.module)]! : 0;
    return { ...f, channelIndex: indexOf.get(f.channel)!, costAh, costKm: km(costAh) };
  });
  findings.sort(
    (a, b) =>
      Number(b.verdict === 'dead') - Number(a.verdict === 'dead') ||
      b.costAh - a.costAh ||
      (a.estimate.capacityRatio ?? 1) - (b.estimate.capacityRatio ?? 1) ||
      b.detect - a.detect,
  );
  const end = (s: Spread): TiltEnd => ({
    socFraction: s.medianSocFraction,
    deltaAh: s.channels.map((c) => c.deltaSocFraction * d.typicalCapacityAh),
  });
  const already = new Set(metered.map((m) => pack.channels[m.channelIndex]!.id));
  return {
    segments,
    nearFull,
    nearEmpty,
    tilt: nearFull && nearEmpty ? { from: end(nearFull), to: end(nearEmpty) } : null,
    findings,
    channels,
    typicalCapacityAh: d.typicalCapacityAh,
    typicalCapacitySdAh: d.typicalCapacitySdAh,
    typicalResistanceMilliohm:
      d.observed.trajectory.resistanceOhm * 1000 * median(pack.channels.map((c) => c.cells)),
    startSocFraction: d.startSocFraction,
    endSocFraction: d.endSocFraction,
    usableAh: now.usableAh,
    usableKm: km(now.usableAh),
    mendedAh: costs.mendedAh,
    evenButAged: findings.length === 0 && d.typicalCapacityAh < 0.8 * ratedCapacityAh,
    nextTest: nextTest(findings, nearFull, nearEmpty, pack, already),
    tests: rankTests(findings, nearFull, nearEmpty, pack, already).slice(0, MOST_TESTS),
    temperature: temperatureSpread(record),
    metered: [...metered],
  };
}
