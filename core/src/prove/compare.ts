import { notMeasured, type Measured } from '../measured';
import { factsOf, judgeDelta, type Pack } from '../pack';
import { median, type Ends, type Spread } from '../diagnosis';
import { newcomerOf, type Newcomer } from './newcomer';
import type { SagCheck } from './sag';

export interface EndComparison {
  end: 'near full' | 'near empty';
  beforeMv: number | null;
  afterMv: number | null;
  beforeSoc: number | null;
  afterSoc: number | null;
  /** Null where one end is missing, or both read the same within what they are read to. */
  better: boolean | null;
}

export interface Comparison {
  ends: EndComparison[];
  /** The replaced modules' groups against the rest when low, mV. */
  replacedNearEmptyMv: number | null;
  replacedMeaning: string | null;
  /** What each of them holds against those that stayed. Left out by earlier versions. */
  newcomers?: Newcomer[] | undefined;
  stillOdd: string[];
  passed: boolean;
  verdict: string;
  /** A delta is read to this, mV: two standard deviations of the difference of two channels. Left out by earlier versions. */
  readsWithinMv?: number | undefined;
  /** Charge that the record after the repair spans, and what of it is still to be driven; empty where it spans enough. */
  span?: { fromSoc: number; toSoc: number; still: string } | undefined;
  /** Sag under the strongest pull against the simulation; null where none can be held against it. Left out by earlier versions. */
  sag?: SagCheck | null | undefined;
}

/** Noise of a rested reading beside its resolution, V. From memory. */
const NOISE_V = 0.001;
/** A drive that proves both ends begins above and ends below so much charge. Common practice, no source. */
const SPAN = { from: 0.75, to: 0.35 };

/** What a delta is read to: resolution counts as step²/12 (JCGM 100:2008, 4.3.7), noise beside it, of two channels, twice. */
export const deltaReadsMv = (stepV: number): number => 2000 * Math.sqrt(2 * (stepV ** 2 / 12 + NOISE_V ** 2));

/** What of the charge the record after the repair spans, and what is still to be driven. */
function spanOf(after: Ends): Comparison['span'] {
  const socs = [after.nearFull, after.nearEmpty].flatMap((s) => (s ? [s.medianSocFraction] : []));
  if (socs.length === 0) return undefined;
  const [fromSoc, toSoc] = [Math.max(...socs), Math.min(...socs)];
  const pct = (v: number): string => `${Math.round(v * 100)} %`;
  const still = [
    fromSoc < SPAN.from ? `Charge it above ${pct(SPAN.from)} and rest it there.` : '',
    toSoc > SPAN.to ? `Drive it below ${pct(SPAN.to)} and rest it there.` : '',
  ].filter(Boolean);
  return { fromSoc, toSoc, still: still.join(' ') };
}

/**
 * Compares the record after the repair with the one before.
 *
 * @param replaced channel indices of the modules that are new
 * @param capacityAh of the typical channel after the repair
 */
export function compareRecords(
  before: Ends,
  after: Ends,
  pack: Pack,
  replaced: readonly number[],
  capacityAh: Measured = notMeasured('no capacity was measured', 'A drive with its current logged.'),
): Comparison {
  const readsWithinMv = deltaReadsMv(factsOf(pack.profile.chemistry).sensorStepV);
  const row = (end: EndComparison['end'], b: Spread | null, a: Spread | null): EndComparison => ({
    end,
    beforeMv: b?.deltaMv ?? null,
    afterMv: a?.deltaMv ?? null,
    beforeSoc: b?.medianSocFraction ?? null,
    afterSoc: a?.medianSocFraction ?? null,
    better:
      a && b && Math.abs(a.deltaMv - b.deltaMv) > readsWithinMv * Math.SQRT2 ? a.deltaMv < b.deltaMv : null,
  });
  const ends = [
    row('near full', before.nearFull, after.nearFull),
    row('near empty', before.nearEmpty, after.nearEmpty),
  ];
  const low = after.nearEmpty;
  const replacedMv = replaced.map((i) => low?.channels[i]?.deviationMv ?? null).filter((mv) => mv !== null);
  const replacedNearEmptyMv = replacedMv.length > 0 ? median(replacedMv) : null;
  const stillOdd = [
    ...new Set(
      [after.nearFull, after.nearEmpty].flatMap(
        (s) =>
          s?.channels
            .filter((c) => c.odd && Math.abs(c.deltaSocFraction ?? 0) > 0.015)
            .map((c) => pack.channels[c.channelIndex]!.id) ?? [],
      ),
    ),
  ];
  const cells = pack.channels[0]!.cells;
  const within = (s: Spread | null): boolean =>
    s === null || judgeDelta(s.deltaMv / cells, s.medianSocFraction, pack).state !== 'beyond';
  const [fullOk, emptyOk] = [within(after.nearFull), within(after.nearEmpty)];
  const span = spanOf(after);
  const both = Boolean(after.nearFull && after.nearEmpty);
  const passed = both && fullOk && emptyOk && span?.still === '';
  const fresh = new Set(replaced);
  const stayed = pack.channels.map((_, i) => i).filter((i) => !fresh.has(i));
  const newcomers = pack.modules
    .filter((m) => m.channelIndices.some((i) => fresh.has(i)))
    .flatMap((m) => newcomerOf(after, m, stayed, capacityAh, pack) ?? []);
  const verdict = passed
    ? 'The spread is within its limits near full and near empty.'
    : !both
      ? `A scan ${after.nearFull ? 'near empty' : 'near full'} is still missing: one end alone proves nothing.`
      : !fullOk || !emptyOk
        ? `The spread is still too wide ${!fullOk ? 'near full' : 'near empty'}.`
        : `The spread is within its limits where it was read, which is not both ends. ${span?.still ?? ''}`;
  return {
    ends,
    replacedNearEmptyMv,
    replacedMeaning: newcomers.length > 0 ? newcomers.map((n) => n.says).join(' ') : null,
    newcomers,
    stillOdd,
    passed,
    verdict,
    readsWithinMv,
    span,
  };
}
