import {
  findPlace,
  outOfLine,
  parseJots,
  placeName,
  QUANTITIES,
  voltageAt,
  type Jot,
  type Place,
  type Quantity,
} from '@cellmend/core/jot';
import { InputProblem, OUT_OF_BOUNDS, type Pack } from '@cellmend/core/pack';

/** What is walked along. */
export type WalkBy = 'modules' | 'groups' | 'joints' | 'boards';

/** One place of a round, as it was taken. */
export interface Taken {
  raw: string;
  state: 'kept' | 'skipped' | 'unread';
  value: number | null;
  /** Number of the reading on record; a later value there corrects it. */
  id: string | null;
  odd: boolean;
  /** What is wrong with it by itself, or why it was not understood. */
  says: string;
}
export interface Round {
  by: WalkBy;
  kind: Quantity;
  at: number;
  taken: Record<string, Taken>;
}

/** Least spread that counts, per quantity: a meter's last digit. */
const FLOOR: Record<Quantity, number> = {
  voltage: 0.005,
  insulation: 1e6,
  resistance: 2e-5,
  temperature: 0.5,
  capacity: 0.3,
  torque: 0.3,
  current: 0.1,
};

/** The places of a round in the order a person meets them. */
export function placesOf(by: WalkBy, pack: Pack): Place[] {
  if (by === 'boards')
    return (pack.profile.boards ?? []).map((_, boardIndex) => ({ kind: 'board', boardIndex }));
  if (by === 'joints') return (pack.profile.links ?? []).map((l) => ({ kind: 'joint', id: l.id }));
  const modules = [...pack.modules].sort(
    (a, b) => a.place.tier - b.place.tier || a.place.column - b.place.column || a.place.row - b.place.row,
  );
  return by === 'modules'
    ? modules.map((m) => ({ kind: 'module', moduleIndex: m.index }))
    : modules.flatMap((m) =>
        m.channelIndices.map((channelIndex): Place => ({ kind: 'channel', channelIndex })),
      );
}

export interface Step {
  round: Round;
  /** What is to be kept of it, and what it corrects. */
  reading: Extract<Jot, { type: 'reading' }> | null;
  corrects: string | null;
}

/**
 * What one entry does to a round. A figure that cannot be read keeps its place, marked, and the round goes on: in a burst
 * no later figure may slip to another place. A label that is scanned goes to its place.
 */
export function stepOf(
  round: Round,
  raw: string,
  order: readonly Place[],
  pack: Pack,
  bareTemperature: 'C' | 'F' = 'C',
): Step {
  const text = raw.trim();
  const nothing = { round, reading: null, corrects: null };
  if (text === '') return nothing;
  const [word, ...rest] = text.split(/[\s,;=:]+/);
  const named = findPlace(word!, pack);
  const index = named ? order.findIndex((p) => placeName(p, pack) === placeName(named, pack)) : -1;
  if (index >= 0) {
    const there = { ...round, at: index };
    return rest.length === 0
      ? { ...nothing, round: there }
      : stepOf(there, rest.join(' '), order, pack, bareTemperature);
  }
  const place = order[round.at];
  if (!place) return nothing;
  const name = placeName(place, pack);
  const before = round.taken[name];
  const on = (taken: Taken, reading: Step['reading'], corrects: string | null): Step => ({
    round: { ...round, at: round.at + 1, taken: { ...round.taken, [name]: taken } },
    reading,
    corrects,
  });
  if (/^[-−–]$/.test(text)) {
    const left = { raw: text, state: 'skipped', value: null, id: null, odd: false, says: '' } as const;
    // Stepping over what was taken earlier leaves it as it is.
    return on(before?.state === 'kept' ? before : left, null, null);
  }
  try {
    const [jot] = parseJots(
      `${QUANTITIES[round.kind].words[0]} ${text}`,
      pack,
      round.kind,
      place,
      bareTemperature,
    );
    if (jot?.type !== 'reading')
      throw new InputProblem('walk', `“${text}” is no ${round.kind}.`, '', 'A figure.');
    const typed =
      round.kind === 'voltage' && place.kind !== 'joint' ? voltageAt(jot.value, place, pack) : null;
    const beyond = typed !== null && OUT_OF_BOUNDS.has(typed.judged.state);
    // Modules and boards differ in size: volts are compared cell by cell, in the size of this place.
    const alike = (at: string, value: number): number => {
      const there = typed && findPlace(at, pack);
      return there ? voltageAt(value, there, pack).judged.perCellV * typed.judged.cells : value;
    };
    const others = Object.entries(round.taken).flatMap(([at, t]) =>
      at !== name && t.value !== null ? [alike(at, t.value)] : [],
    );
    const finite = Number.isFinite(jot.value);
    const odd = beyond || (finite && others.length > 0 && outOfLine(others, jot.value, FLOOR[round.kind]));
    const low = typed !== null && typed.judged.state !== 'normal';
    const says = low ? typed.judged.state : odd ? 'out of line' : '';
    const taken: Taken = {
      raw: text,
      state: 'kept',
      value: finite ? jot.value : null,
      id: null,
      odd: odd || low,
      says,
    };
    return on(taken, { ...jot, conditions: jot.conditions || 'walk' }, before?.id ?? null);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    const unread = { raw: text, state: 'unread', value: null, id: before?.id ?? null, odd: true } as const;
    return on({ ...unread, says: `${e.what} ${e.accepted}`.trim() }, null, null);
  }
}
