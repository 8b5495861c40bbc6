import { judgeAt, OUT_OF_BOUNDS, type Pack } from '../pack';
import { median, type Glitches } from '../diagnosis';
import { APART_MV, type ProofState } from './byMeasure';

export interface BoardRow {
  channel: string;
  scanV: number | null;
  meterV: number | null;
  /** What the scan shows above the meter. */
  apartMv: number | null;
}
export interface BoardSeen {
  state: ProofState;
  rows: BoardRow[];
  /** Widest difference; null where nothing was metered. */
  worstMv: number | null;
  says: string[];
}

/** The channels that a board reads; of a place that is a module, those of the boards that read it, or its own. */
export function channelsOfBoard(pack: Pack, place: string): number[] {
  const index = new Map(pack.channels.map((c) => [c.id, c.index]));
  const boards = (pack.profile.boards ?? []).map((b) => ({
    id: b.id,
    own: b.channels.flatMap((c) => index.get(c) ?? []),
  }));
  const board = boards.find((b) => b.id === place);
  if (board) return board.own;
  const module = pack.modules.find((m) => m.id === place);
  if (!module) return pack.channels.map((c) => c.index);
  const over = boards.filter((b) => b.own.some((i) => module.channelIndices.includes(i)));
  return over.length > 0 ? [...new Set(over.flatMap((b) => b.own))] : [...module.channelIndices];
}

const few = (ids: readonly string[]): string =>
  ids.length > 6 ? `${ids.slice(0, 6).join(', ')} and ${ids.length - 6} more` : ids.join(', ');

/**
 * A board against the meter, channel by channel, and whether its readings leap. That both show the same is not enough: what is metered
 * has to be the voltage of a cell that lives.
 *
 * @param settledV of every channel at the end of the scan, null where it was not read
 * @param meterV volts at the terminals, by channel index
 * @param jumps of the scan; null where it could not be looked for, undefined where nobody did
 */
export function judgeBoard(
  channels: readonly number[],
  settledV: readonly (number | null)[],
  meterV: ReadonlyMap<number, number>,
  jumps: readonly Glitches[] | null | undefined,
  pack: Pack,
): BoardSeen {
  const rows = channels.map((i): BoardRow => {
    const [scan, meter] = [settledV[i] ?? null, meterV.get(i) ?? null];
    return {
      channel: pack.channels[i]!.id,
      scanV: scan,
      meterV: meter,
      apartMv: scan === null || meter === null ? null : 1000 * (scan - meter),
    };
  });
  const told = rows.flatMap((r) => (r.apartMv === null ? [] : [r.apartMv]));
  const says: string[] = [];
  let state: ProofState = 'pass';
  const worse = (to: ProofState, why: string): void => {
    if (to === 'fail' || state === 'pass') state = to;
    says.push(why);
  };
  const unread = rows.filter((r) => r.scanV === null).map((r) => r.channel);
  if (unread.length > 0) worse('fail', `The board reads nothing at ${few(unread)}.`);
  const sick = channels.filter((i) => {
    const v = meterV.get(i);
    return v !== undefined && OUT_OF_BOUNDS.has(judgeAt(pack, { kind: 'channel', index: i }, v).state);
  });
  if (sick.length > 0)
    worse(
      'fail',
      `By the meter ${few(sick.map((i) => `${pack.channels[i]!.id} ${judgeAt(pack, { kind: 'channel', index: i }, meterV.get(i)!).state}`))}: a board that agrees with that proves nothing.`,
    );
  const worstMv = told.length > 0 ? told.reduce((a, b) => (Math.abs(b) > Math.abs(a) ? b : a)) : null;
  // Not one reading that is off, but all of them alike: the scan and the meter are not of the same rest.
  const common = told.length >= 3 ? median(told) : 0;
  const apart = told.map((mv) => Math.abs(mv - common));
  const together =
    Math.abs(common) > APART_MV.good && Math.max(...apart) <= APART_MV.good && told.length >= 3;
  if (together)
    worse(
      'hold',
      `All of them ${common > 0 ? 'above' : 'below'} the meter by ${Math.round(Math.abs(common))} mV alike: scan and meter are not of one rest, or the board’s reference is off. Meter and scan again at one rest.`,
    );
  else
    for (const [limit, to] of [
      [APART_MV.edge, 'fail'],
      [APART_MV.good, 'hold'],
    ] as const) {
      const off = rows.filter((r) => r.apartMv !== null && Math.abs(r.apartMv) > limit);
      if (off.length === 0) continue;
      worse(
        to,
        `${few(off.map((r) => `${r.channel} ${r.apartMv! > 0 ? '+' : '−'}${Math.round(Math.abs(r.apartMv!))} mV`))} against the meter.`,
      );
      break;
    }
  const leaping = (jumps ?? []).filter((j) => channels.includes(j.channelIndex));
  if (leaping.length > 0)
    worse(
      'fail',
      `${few(leaping.map((j) => `${pack.channels[j.channelIndex]!.id} leaped ${j.count} × by up to ${Math.round(j.mostMv)} mV`))} while the pack stood still.`,
    );
  const missing = rows.filter((r) => r.meterV === null).map((r) => r.channel);
  if (missing.length > 0)
    worse(
      'hold',
      `Not metered: ${few(missing)}${missing.length < rows.length ? '' : ', none of its channels'}.`,
    );
  if (!jumps)
    worse(
      'hold',
      'Whether its readings leap is not told: log some minutes at rest, ten readings or more, as a scan of its own.',
    );
  if (state === 'pass')
    says.push(
      `All ${rows.length} channels within ${Math.max(1, Math.round(Math.abs(worstMv ?? 0)))} mV of the meter, and none leaps.`,
    );
  return { state, rows, worstMv, says };
}
