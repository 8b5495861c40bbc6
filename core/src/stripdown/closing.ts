import { InputProblem } from '../problem';
import { offNow, type Tick } from './plan';

/** What a repair leaves behind, or found and could not mend: the sheets print it while it stands. */
export const OPEN_POINTS = [
  'thread damaged',
  'captive nut broken',
  'plate bent',
  'part missing',
  'not proven',
  'other',
] as const;

/** Pressure of the outside air, kPa: standard atmosphere, ISO 2533. */
const AIR_KPA = 101.325;
const KELVIN = 273.15;

export interface LeakTest {
  /** Gauge pressure at the start and at the end, kPa. */
  startKpa: number;
  endKpa: number;
  /** Of the air in the circuit at both; null where nobody took it. */
  startC: number | null;
  endC: number | null;
  /** How long it stood, and the drop that the maker allows in it. */
  minutes: number;
  allowedKpa: number;
}
export interface LeakJudged {
  passed: boolean;
  /** Drop that warmth does not explain, kPa; negative where it rose. */
  dropKpa: number;
  says: string;
}

/**
 * A coolant circuit under air pressure: what it lost, the temperature taken out by the gas law at constant volume.
 * @throws InputProblem for figures that cannot be
 */
export function judgeLeakTest(t: LeakTest): LeakJudged {
  if (!(t.startKpa > 0 && t.endKpa > -AIR_KPA && t.minutes > 0 && t.allowedKpa >= 0))
    throw new InputProblem(
      'leak-test',
      'Those are no figures of a leak test.',
      'leak',
      'Gauge pressures in kPa, the time it stood and the allowed drop.',
    );
  const both = t.startC !== null && t.endC !== null;
  const warmth = both ? (t.endC! + KELVIN) / (t.startC! + KELVIN) : 1;
  const expected = (t.startKpa + AIR_KPA) * warmth - AIR_KPA;
  const dropKpa = expected - t.endKpa;
  const passed = dropKpa <= t.allowedKpa;
  const shown = `${dropKpa.toFixed(1)} kPa lost in ${t.minutes.toFixed(0)} min, ${t.allowedKpa.toFixed(1)} allowed`;
  return {
    passed,
    dropKpa,
    says: `${shown}${both ? ', warmth taken out' : '; temperature not taken: a degree is about 0.3 % of the absolute pressure'}.`,
  };
}

/** Cure doubles its pace with every ten degrees. Common practice, no source; the maker's sheet comes first. */
const CURE_PER_10_C = 2;
/** Below this sealants of this kind do not cure in any useful time, °C. Common practice, no source. */
const LEAST_CURE_C = 5;

/**
 * Hours until a sealant has cured at a temperature, from what its sheet says at 23 °C.
 * @throws InputProblem below 5 °C, and for times that no sheet names
 */
export function cureHours(at23Hours: number, temperatureC: number): number {
  if (!(at23Hours > 0 && at23Hours <= 24 * 14))
    throw new InputProblem(
      'cure',
      'That is no time to cure.',
      'hours',
      'Hours at 23 °C from the sealant’s sheet.',
    );
  if (!(temperatureC >= LEAST_CURE_C && temperatureC <= 60))
    throw new InputProblem(
      'cure',
      `At ${temperatureC} °C it does not cure as its sheet says.`,
      'temperature',
      `${LEAST_CURE_C} to 60 °C.`,
    );
  return at23Hours * CURE_PER_10_C ** ((23 - temperatureC) / 10);
}

/**
 * In which bag the fasteners of each part lie: as many as were taken off before it, counting those that were taken back, so that
 * a bag keeps its number. Only of parts that are off.
 */
export function bags(ticks: readonly Tick[]): Map<string, number> {
  const off = new Set(offNow(ticks));
  const bag = new Map<string, number>();
  let n = 0;
  for (const t of ticks)
    if (t.off) {
      n++;
      if (off.has(t.part)) bag.set(t.part, n);
    }
  return bag;
}

/** Bags in use so far: the next part's fasteners go into the one after. */
export const bagCount = (ticks: readonly Tick[]): number => ticks.filter((t) => t.off).length;
