import { modulesOfChannel, type Pack } from '../../pack';
import { indexAt, type ScanRecord } from '../../scan';
import { median, robustSigma } from '../../numerics/robustStatistics';
import type { ChannelFinding } from '../verdict';

/** A load is one from this share of the rating an hour on, C; moments of at least this share of the widest are of one load. Common practice, no source. */
const LEAST_C = 0.3;
const ALIKE_LOAD = 0.7;
/** Cold and warm are so far apart, K, and each is a third of what was seen. Common practice, no source. */
const LEAST_SPAN_K = 10;
/** Moments are compared at the same charge: no further apart than this, as a share. */
const SAME_CHARGE = 0.06;
/** A gap that grows with warmth by more than so many times what it does in the others, and by this share of the sag of the typical channel. */
const PLAIN = 6;
const LEAST_OF_SAG = 0.15;
/** What readings scatter by at the least, V. */
const LEAST_SCATTER_V = 0.003;
/** Of what shows under load and only warm. From memory: electrolyte that has dried out, a cell whose charge is gone when warm, a joint that opens. */
const CAUSES = [
  { verdict: 'high-resistance', confidence: 0.5 },
  { verdict: 'low-capacity', confidence: 0.3 },
] as const;

interface Moments {
  timeS: Float64Array;
  currentA: Float64Array;
  socFraction: Float64Array;
}
interface Loaded {
  atS: number;
  currentA: number;
  temperatureC: number;
  soc: number;
}

/** Moments under one load, with how warm it was and how full the pack. */
function loadedMoments(record: ScanRecord, pack: Pack, moments: Moments): Loaded[] {
  const { temperatureC } = record;
  // Of channels read one after another a change of current would be taken for a gap.
  if (!temperatureC || !record.simultaneous) return [];
  const all = Array.from(moments.timeS, (atS, k): Loaded => {
    const i = indexAt(temperatureC.timeS, atS + 1e-6);
    return {
      atS,
      currentA: moments.currentA[k]!,
      temperatureC: i < 0 ? NaN : temperatureC.value[i]!,
      soc: moments.socFraction[k]!,
    };
  }).filter((m) => !Number.isNaN(m.temperatureC));
  const widest = all.reduce((most, m) => Math.max(most, m.currentA), 0);
  if (widest < LEAST_C * pack.profile.ratedCapacityAh) return [];
  return all.filter((m) => m.currentA >= ALIKE_LOAD * widest);
}

/** What each channel lies off the typical one, V, in the middle of some moments. NaN where it was not read. */
function gapsAt(
  record: ScanRecord,
  pack: Pack,
  moments: readonly Loaded[],
): { gapV: number[]; typicalV: number } {
  const rows = moments.map(({ atS }) =>
    record.voltageV.map((s, c) => {
      const i = indexAt(s.timeS, atS + 1e-6);
      return i < 0 ? NaN : s.value[i]! / pack.channels[c]!.cells;
    }),
  );
  const middles = rows.map((row) => median(row.filter((v) => !Number.isNaN(v))));
  const gapV = pack.channels.map((c) =>
    median(rows.map((row, k) => (row[c.index]! - middles[k]!) * c.cells).filter((v) => !Number.isNaN(v))),
  );
  return { gapV, typicalV: median(middles) };
}

/**
 * Channels that sag under load where the pack is warm and not where it is cold, at the same charge and load. A cell, and a joint, has less resistance warm:
 * none of the causes that are fitted over the whole record makes that, so whatever was found of them is put right.
 */
export function weighWarmth(
  findings: readonly ChannelFinding[],
  record: ScanRecord,
  pack: Pack,
  moments: Moments,
): ChannelFinding[] {
  const loaded = loadedMoments(record, pack, moments);
  const temperatures = loaded.map((m) => m.temperatureC);
  const [coldest, warmest] = [Math.min(...temperatures), Math.max(...temperatures)];
  const span = warmest - coldest;
  if (!(span >= LEAST_SPAN_K)) return [...findings];
  const within = (m: Loaded, others: readonly Loaded[]): boolean =>
    others.some((o) => Math.abs(o.soc - m.soc) < SAME_CHARGE);
  const coldOnes = loaded.filter((m) => m.temperatureC <= coldest + span / 3);
  const warmOnes = loaded.filter((m) => m.temperatureC >= warmest - span / 3);
  const cold = coldOnes.filter((m) => within(m, warmOnes));
  const warm = warmOnes.filter((m) => within(m, coldOnes));
  if (cold.length === 0 || warm.length === 0) return [...findings];
  const [inCold, inWarm] = [gapsAt(record, pack, cold), gapsAt(record, pack, warm)];
  const grows = inWarm.gapV.map((v, c) => v - inCold.gapV[c]!);
  const scatterV = Math.max(LEAST_SCATTER_V, robustSigma(grows.filter((v) => !Number.isNaN(v))));
  const at = {
    coldC: median(cold.map((m) => m.temperatureC)),
    warmC: median(warm.map((m) => m.temperatureC)),
    a: median(warm.map((m) => m.currentA)),
  };
  const ohm = pack.profile.nominalGroupResistanceMilliohm / 1000;
  const told = new Map(findings.map((f) => [f.channel, f]));
  for (const { id, index } of pack.channels) {
    const sagV = -grows[index]!;
    const known = told.get(id);
    if (
      !(sagV > PLAIN * scatterV && sagV > LEAST_OF_SAG * ohm * at.a) ||
      known?.absolute ||
      known?.verdict === 'dead'
    )
      continue;
    told.set(id, {
      channel: id,
      module: modulesOfChannel(pack, index),
      verdict: 'undetermined',
      confidence: 1 - CAUSES.reduce((s, c) => s + c.confidence, 0),
      alternatives: [...CAUSES],
      estimate: {},
      onlyWarmC: Math.round(at.warmC),
      reasons: [
        `Under ${Math.round(at.a)} A it lies ${mv(inWarm.gapV[index]!)} off the pack at ${Math.round(at.warmC)} °C and ${mv(inCold.gapV[index]!)} at ${Math.round(at.coldC)} °C, at the same charge.`,
        'It shows warm under load only: resistance or capacity that is gone when warm. Colder it passes, on the bench too.',
      ],
      detect: (sagV / scatterV) ** 2,
      separate: 0,
    });
  }
  return [...told.values()].sort((a, b) => b.detect - a.detect);
}

const mv = (v: number): string => `${v < 0 ? '−' : '+'}${Math.abs(1000 * v).toFixed(0)} mV`;
