import type { Pack, VoltagePlace } from '../pack';

/** Where in the pack something was observed. */
export type Place =
  | { kind: 'pack' }
  | { kind: 'module'; moduleIndex: number }
  | { kind: 'channel'; channelIndex: number }
  /** A joint, plug or disconnect between two modules, by its name in the profile. */
  | { kind: 'joint'; id: string }
  /** A sense board, by its place in the profile's list. */
  | { kind: 'board'; boardIndex: number };

/** Finds a module, channel, joint or sense board by its name or number: `m7`, `M07`, `ch18`, `c018`, `L3`, or a scanned label. */
export function findPlace(word: string, pack: Pack): Place | null {
  const lower = word.toLowerCase();
  const module = pack.modules.find((m) => m.id.toLowerCase() === lower);
  if (module) return { kind: 'module', moduleIndex: module.index };
  const channel = pack.channels.find((c) => c.id.toLowerCase() === lower);
  if (channel) return { kind: 'channel', channelIndex: channel.index };
  const link = pack.profile.links?.find((l) => l.id.toLowerCase() === lower);
  if (link) return { kind: 'joint', id: link.id };
  const board = pack.profile.boards?.findIndex((b) => b.id.toLowerCase() === lower) ?? -1;
  if (board >= 0) return { kind: 'board', boardIndex: board };
  const numbered = /^(m|mod|module|s|ch|c|b|channel|group|g)0*(\d{1,4})$/.exec(lower);
  if (!numbered) return null;
  const number = Number(numbered[2]);
  const byNumber = <T extends { id: string }>(items: T[]): T | undefined =>
    items.find((x) => Number(/(\d+)$/.exec(x.id)?.[1] ?? NaN) === number);
  if (/^(m|mod|module|s)$/.test(numbered[1]!)) {
    const m = byNumber(pack.modules);
    return m ? { kind: 'module', moduleIndex: m.index } : null;
  }
  const c = byNumber(pack.channels);
  return c ? { kind: 'channel', channelIndex: c.index } : null;
}

export const looksLikePlace = (word: string): boolean =>
  /^(m|mod|module|s|ch|c|b|channel|group|g)\d{1,4}$/i.test(word);

/** As readings name it; empty for the whole pack. */
export function placeName(place: Place, pack: Pack): string {
  if (place.kind === 'module') return pack.modules[place.moduleIndex]!.id;
  if (place.kind === 'joint') return place.id;
  if (place.kind === 'board') return pack.profile.boards![place.boardIndex]!.id;
  return place.kind === 'channel' ? pack.channels[place.channelIndex]!.id : '';
}

/** The place a voltage is judged at; a joint has none of its own. */
export const voltagePlace = (place: Place): VoltagePlace =>
  place.kind === 'module'
    ? { kind: 'module', index: place.moduleIndex }
    : place.kind === 'channel'
      ? { kind: 'channel', index: place.channelIndex }
      : place.kind === 'board'
        ? { kind: 'board', index: place.boardIndex }
        : { kind: 'pack' };

/** `ch18..ch24`: every place from the one to the other, in the order they are named. Null where it is no run of places. */
export function placesBetween(word: string, pack: Pack): Place[] | null {
  const ends = /^(.+?)(?:\.\.\.?|…)(.+)$/.exec(word);
  if (!ends) return null;
  const [from, to] = [findPlace(ends[1]!, pack), findPlace(ends[2]!, pack)];
  const run = (a: number, b: number): number[] =>
    Array.from({ length: Math.abs(b - a) + 1 }, (_, i) => a + Math.sign(b - a) * i);
  if (from?.kind === 'module' && to?.kind === 'module')
    return run(from.moduleIndex, to.moduleIndex).map((moduleIndex) => ({ kind: 'module', moduleIndex }));
  if (from?.kind === 'channel' && to?.kind === 'channel')
    return run(from.channelIndex, to.channelIndex).map((channelIndex) => ({ kind: 'channel', channelIndex }));
  return null;
}
