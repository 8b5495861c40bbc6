import { limitValue, type Pack } from '../pack';
import { median, type Ends, type Spread } from '../spread';

export interface EndComparison {
  end: 'near full' | 'near empty';
  beforeMv: number | null;
  afterMv: number | null;
  beforeSoc: number | null;
  afterSoc: number | null;
  better: boolean | null;
}

export interface Comparison {
  ends: EndComparison[];
  /** The replaced module's groups against the rest when low, mV: above = more capacity, below = less. */
  replacedNearEmptyMv: number | null;
  replacedMeaning: string | null;
  stillOdd: string[];
  passed: boolean;
  verdict: string;
}

/** Most delta a cell may show at each end: the maker's figure, else the usual one (near empty the curve is steep). */
export const proveLimitsMv = (pack: Pack): { nearFull: number; nearEmpty: number } => ({
  nearFull: limitValue(pack.profile, 'deltaFullMv'),
  nearEmpty: limitValue(pack.profile, 'deltaEmptyMv'),
});

/** Compares the record after the repair with the one before. `replaced` are the channel indices of the new module. */
export function compareRecords(
  before: Ends,
  after: Ends,
  pack: Pack,
  replaced: readonly number[],
): Comparison {
  const row = (end: EndComparison['end'], b: Spread | null, a: Spread | null): EndComparison => ({
    end,
    beforeMv: b?.deltaMv ?? null,
    afterMv: a?.deltaMv ?? null,
    beforeSoc: b?.medianSocFraction ?? null,
    afterSoc: a?.medianSocFraction ?? null,
    better: a && b ? a.deltaMv < b.deltaMv : null,
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
  const limitMv = proveLimitsMv(pack);
  const fullOk = !after.nearFull || after.nearFull.deltaMv / cells <= limitMv.nearFull;
  const emptyOk = !after.nearEmpty || after.nearEmpty.deltaMv / cells <= limitMv.nearEmpty;
  const both = Boolean(after.nearFull && after.nearEmpty);
  const passed = both && fullOk && emptyOk;
  const meaning =
    replacedNearEmptyMv === null
      ? null
      : replacedNearEmptyMv > 5
        ? 'The new module lies above its neighbours when low: it holds more than they do.'
        : replacedNearEmptyMv < -5
          ? 'The new module lies below its neighbours when low: it holds less than they do.'
          : 'The new module lies level with its neighbours when low: it holds as much as they do.';
  const verdict = passed
    ? 'The spread is within its limits near full and near empty.'
    : !both
      ? `A scan ${after.nearFull ? 'near empty' : 'near full'} is still missing: one end alone proves nothing.`
      : `The spread is still too wide ${!fullOk ? 'near full' : 'near empty'}.`;
  return { ends, replacedNearEmptyMv, replacedMeaning: meaning, stillOdd, passed, verdict };
}
