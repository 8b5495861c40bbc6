import { notMeasured } from '../../pack';
import type { SpreadReport } from './report';
import type { Spread } from '../record/restSpread';

/**
 * A report as an earlier version stored it, in today's form. Those versions printed a capacity whether anything had
 * measured it or not: its figures are not taken over, the report says which version it was and how to know more.
 */
export function migrateReport(stored: unknown, coreVersion: string): SpreadReport {
  const r = stored as Partial<SpreadReport> & {
    typicalCapacityAh?: number;
    typicalCapacitySdAh?: number;
    startSocFraction?: number;
    endSocFraction?: number;
    evenButAged?: boolean;
  };
  if (r.pack) return r as SpreadReport;
  const none = notMeasured(
    `Version ${coreVersion} of the computation did not tell measured from assumed.`,
    'Compute the finding anew.',
  );
  const rest: Spread | null = r.nearEmpty ?? r.nearFull ?? null;
  return {
    pack: { verdict: 'ok', reasons: [] },
    segments: r.segments ?? [],
    settledV: rest ? rest.channels.map((c) => c.voltageV) : [],
    outOfBounds: [],
    nearFull: r.nearFull ?? null,
    nearEmpty: r.nearEmpty ?? null,
    tilt:
      r.nearFull && r.nearEmpty
        ? {
            from: {
              socFraction: r.nearFull.medianSocFraction,
              deltaSocFraction: r.nearFull.channels.map((c) => c.deltaSocFraction),
            },
            to: {
              socFraction: r.nearEmpty.medianSocFraction,
              deltaSocFraction: r.nearEmpty.channels.map((c) => c.deltaSocFraction),
            },
          }
        : null,
    findings: (r.findings ?? []).map((f) => ({ ...f, costAh: none, costKm: none })),
    channels: (r.channels ?? []).map((c) => ({ ...c, capacityRatio: null, resistanceRatio: null })),
    capacityAh: none,
    health: none,
    resistanceMilliohm: none,
    usableAh: none,
    usableKm: none,
    mendedAh: none,
    mendedKm: none,
    working:
      r.typicalCapacityAh === undefined ||
      r.typicalCapacitySdAh === undefined ||
      r.startSocFraction === undefined ||
      r.endSocFraction === undefined
        ? null
        : {
            capacityAh: r.typicalCapacityAh,
            capacitySdAh: r.typicalCapacitySdAh,
            startSocFraction: r.startSocFraction,
            endSocFraction: r.endSocFraction,
          },
    nextTest: r.nextTest ?? '',
    tests: r.tests ?? [],
    temperature: r.temperature ?? null,
    metered: r.metered ?? [],
  };
}
