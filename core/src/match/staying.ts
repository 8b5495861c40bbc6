import { measured, notMeasured, type Measured, type Pack } from '../pack';
import type { GroupState } from '../range';
import type { SpreadReport } from '../diagnosis';
import { median } from '../numerics/robustStatistics';
import type { Candidate } from './candidates';

/** Capacity measured of a module by itself, A·h, by its place: a full discharge on the bench, or what somebody typed. */
export type MeasuredAlone = Readonly<Record<string, number>>;

/** The typical capacity is taken from modules measured alone only where at least this share of those that stay was. */
const ENOUGH_SHARE = 0.5;
const ENOUGH = 3;

/**
 * What each module of a pack holds, A·h, in the order of the profile; null where nobody measured it. A capacity that was
 * measured of the module by itself counts before what a scan says of its channels against the others.
 */
export function heldByModule(
  pack: Pack,
  report: Pick<SpreadReport, 'capacityAh' | 'channels'> | null,
  alone: MeasuredAlone = {},
): (number | null)[] {
  const typical = report?.capacityAh.measured ? report.capacityAh.value : null;
  const ratio = new Map(report?.channels.map((c) => [c.channelIndex, c.capacityRatio?.value ?? 1]));
  return pack.modules.map(
    (m) =>
      alone[m.id] ??
      (typical === null ? null : typical * Math.min(...m.channelIndices.map((c) => ratio.get(c) ?? 1))),
  );
}

/**
 * The typical capacity of what stays, A·h: as the scan measured it; else the median of the modules that were measured by
 * themselves, once half of them were. Its sd is that of a median, from their own scatter: 1.4826 · MAD · 1.2533 / √n
 * (Gaussian, large n; at least half a per cent, as a coulomb counter is).
 */
export function typicalOfStaying(
  pack: Pack,
  report: Pick<SpreadReport, 'capacityAh'> | null,
  alone: MeasuredAlone,
  leaving: readonly string[],
): Measured {
  if (report?.capacityAh.measured) return report.capacityAh;
  const staying = pack.modules.filter((m) => !leaving.includes(m.id));
  const own = staying.flatMap((m) => alone[m.id] ?? []);
  if (own.length < ENOUGH || own.length < ENOUGH_SHARE * staying.length)
    return (
      report?.capacityAh ??
      notMeasured(
        `${own.length} of ${staying.length} modules that stay were measured.`,
        'A full discharge on the bench of at least half of them.',
      )
    );
  const mid = median(own);
  const mad = median(own.map((v) => Math.abs(v - mid)));
  const sd = Math.max((1.2533 * 1.4826 * mad) / Math.sqrt(own.length), 0.005 * mid);
  return measured(mid, sd, `${own.length} modules measured one by one`, 0);
}

/** Groups of the string with the capacity of each module that was measured by itself; how full each is stays as it was. */
export function withMeasuredAlone(
  states: readonly GroupState[],
  pack: Pack,
  alone: MeasuredAlone,
): GroupState[] {
  const next = [...states];
  for (const m of pack.modules) {
    const capacityAh = alone[m.id];
    if (capacityAh === undefined) continue;
    for (const c of m.channelIndices) next[c] = { ...next[c]!, capacityAh };
  }
  return next;
}

/** What stays, as far as it is measured: it counts in what is alike. */
export function stayingCandidates(
  pack: Pack,
  report: Pick<SpreadReport, 'capacityAh' | 'channels' | 'resistanceMilliohm'> | null,
  alone: MeasuredAlone,
  leaving: readonly string[],
): Candidate[] {
  if (!report?.resistanceMilliohm.measured) return [];
  const resistanceMilliohm = report.resistanceMilliohm.value;
  const held = heldByModule(pack, report, alone);
  return pack.modules.flatMap((m, i) =>
    leaving.includes(m.id) || held[i] == null
      ? []
      : [{ id: `stays ${m.id}`, capacityAh: held[i], resistanceMilliohm, restVoltageV: 0 }],
  );
}
