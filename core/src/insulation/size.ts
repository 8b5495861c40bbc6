import { RESIDUAL_OHM, UNBOUNDED_OHM, type Interval, type LeakLocation } from './location';
import type { KnownResistorResult } from './knownResistor';
import type { InsulationObservation, MergedSize, SizeSource, TestRow } from './types';

/** A vehicle's monitor is good to about a fifth, and to some kilohms at its lower end. From memory. */
const VEHICLE_SHARE = 0.2;
const VEHICLE_OHM = 3000;
/** Insulation testers are good to 5 % of the reading. Common practice, no source; a tester's own class is better. */
export const TESTER_SHARE = 0.05;

/** Resistance of a leak where all there is reads `ohm` and the rest may leak by `restSiemens`, Ω. */
const withoutRest = (ohm: number, restSiemens: number): number =>
  1 / ohm > restSiemens ? 1 / (1 / ohm - restSiemens) : UNBOUNDED_OHM;

/** The leak's own interval from the regulation's: in proportion, and open upwards by what the rest of the pack may leak. */
function byResistor({ regulationOhm, leakOhm }: KnownResistorResult, restSiemens: number): Interval {
  const share = leakOhm / Math.max(1e-9, regulationOhm.value);
  return {
    value: leakOhm,
    low: regulationOhm.low * share,
    high: withoutRest(regulationOhm.high * share, restSiemens),
  };
}

/** The smallest part that leaks: its reading is the leak's, with what else is in that part beside it. */
function byTester(tests: readonly TestRow[], moduleLeastOhm: number): Interval | null {
  const leaks = tests
    .filter((t) => t.part === 'section' && t.result.verdict === 'leak' && t.result.ohm !== null)
    .sort((a, b) => a.to - a.from - (b.to - b.from));
  const t = leaks[0];
  if (!t) return null;
  const { bound } = t.result;
  const ohm = t.result.ohm!;
  const rest = (t.to - t.from + 1) / moduleLeastOhm;
  const low = bound ? Math.min(bound.low, ohm) : ohm * (1 - TESTER_SHARE);
  const high = bound ? Math.max(bound.high, ohm) : ohm * (1 + TESTER_SHARE);
  return { value: ohm, low, high: withoutRest(high, rest) };
}

/**
 * One size from all sources of one leak: what they all allow, valued by the source that is surest of itself. Where they
 * allow nothing together, the whole range they name, and `agree` is false.
 */
export function mergeSizes(s: {
  vehicle: Extract<InsulationObservation, { kind: 'vehicle' }> | undefined;
  location: LeakLocation | null;
  known: KnownResistorResult | null;
  tests: readonly TestRow[];
  moduleLeastOhm: number;
  residualOhm?: number | undefined;
}): MergedSize | null {
  const rest = 2 / (s.residualOhm ?? RESIDUAL_OHM);
  const sources: SizeSource[] = [];
  if (s.vehicle?.ohm != null)
    sources.push({
      from: 'the vehicle',
      size: {
        value: s.vehicle.ohm,
        low: Math.max(0, s.vehicle.ohm * (1 - VEHICLE_SHARE) - VEHICLE_OHM),
        high: withoutRest(s.vehicle.ohm * (1 + VEHICLE_SHARE) + VEHICLE_OHM, rest),
      },
    });
  if (s.location) sources.push({ from: 'two voltages', size: s.location.leakOhm });
  if (s.known) sources.push({ from: 'the known resistor', size: byResistor(s.known, rest) });
  const tested = byTester(s.tests, s.moduleLeastOhm);
  if (tested) sources.push({ from: 'the tester', size: tested });
  if (sources.length === 0) return null;
  const low = Math.max(...sources.map((x) => x.size.low));
  const high = Math.min(...sources.map((x) => x.size.high));
  if (low > high)
    return {
      agree: false,
      sources,
      size: {
        value: surest(sources).value,
        low: Math.min(...sources.map((x) => x.size.low)),
        high: Math.max(...sources.map((x) => x.size.high)),
      },
    };
  return {
    agree: true,
    sources,
    size: { value: Math.min(high, Math.max(low, surest(sources).value)), low, high },
  };
}

/** The source whose ends lie nearest to each other, as a ratio. */
function surest(sources: readonly SizeSource[]): Interval {
  const width = ({ size }: SizeSource): number => size.high / Math.max(1, size.low);
  return sources.reduce((a, b) => (width(b) < width(a) ? b : a)).size;
}
