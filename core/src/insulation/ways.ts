import type { EntryKind } from '../pack';

/** Kinds of way in: those that a profile may name, and a cable's own sleeve. */
export const WAY_KINDS = ['valve', 'bolt', 'cover', 'connector', 'drain', 'coolant', 'cable'] as const;
export type WayKind = EntryKind | 'cable';

/** How a way in looks. */
export const WAY_STATES = ['clean', 'dirty', 'wet', 'torn', 'corroded'] as const;
export type WayState = (typeof WAY_STATES)[number];

/** What stands there now, after work. */
export const WAY_PARTS = ['as it was', 'cleaned and reused', 'new'] as const;
export type WayPart = (typeof WAY_PARTS)[number];

/** Ways in that were looked at, alike: an id of the profile each, or a name that somebody gave, such as `V17`. */
export interface WaysSeen {
  ways: string[];
  of: WayKind;
  state: WayState;
  part?: WayPart | undefined;
  /** Of the part that stands there now. */
  revision?: string | undefined;
}

/** A way in as it was seen last. */
export interface WayNow extends Omit<WaysSeen, 'ways'> {
  way: string;
  part: WayPart;
}

/** How much likelier a way that looks so has let water in than one that nobody looked at. From memory. */
export const STATE_WEIGHT: Record<WayState, number> = {
  clean: 0.3,
  dirty: 1.5,
  wet: 8,
  torn: 10,
  corroded: 8,
};

/** Every way in that was looked at, as it was seen last, in the order they were first seen. */
export function waysNow(seen: readonly WaysSeen[]): WayNow[] {
  const now = new Map<string, WayNow>();
  for (const { ways, part = 'as it was', ...s } of seen)
    for (const way of ways) {
      const before = now.get(way);
      // Work done there does not make unseen what was seen.
      const state = part !== 'as it was' && before ? before.state : s.state;
      now.set(way, { ...s, state, way, part });
    }
  return [...now.values()];
}

/** What has to be had, and what was left as it was although it let water in. */
export interface WaysWork {
  /** New parts, by kind and revision. */
  order: { of: WayKind; revision: string; count: number; ways: string[] }[];
  /** Cleaned and put back: it may let water in again. */
  reused: string[];
}

/**
 * What to order for the ways that let water in. Torn and corroded ones have to be new; dirty and wet ones may be cleaned and reused, which is
 * said, or new. Common practice of the trade, no source.
 */
export function worksOn(now: readonly WayNow[]): WaysWork {
  const toOrder = now.filter((w) => w.part !== 'new' && (w.state === 'torn' || w.state === 'corroded'));
  const order = new Map<string, WaysWork['order'][number]>();
  for (const w of toOrder) {
    const revision = w.revision ?? '';
    const key = `${w.of} ${revision}`;
    const row = order.get(key) ?? { of: w.of, revision, count: 0, ways: [] };
    row.count++;
    row.ways.push(w.way);
    order.set(key, row);
  }
  return {
    order: [...order.values()],
    reused: now.filter((w) => w.part === 'cleaned and reused').map((w) => w.way),
  };
}

/** The most ways that are told together. */
export const WAYS_MOST = 200;

/**
 * Names of ways from what was typed: `V1 to V84` is eighty-four, `V3, V9` are two. A name of the profile that holds a comma stays one.
 * @example
 * waysTyped('V1 to V3, seam rear'); // ['V1', 'V2', 'V3', 'seam rear']
 */
export function waysTyped(text: string, known: readonly string[] = []): string[] {
  const whole = known.filter((id) => id.includes(',') && text.includes(id));
  const rest = whole.reduce((t, id, k) => t.replaceAll(id, `\u0000${k}`), text);
  const names = rest.split(',').flatMap((piece): string[] => {
    const one = piece.trim();
    if (one.startsWith('\u0000')) return [whole[Number(one.slice(1))]!];
    const run = /^(\D*?)(\d+)\s*(?:to|–|-)\s*\1?(\d+)$/i.exec(one);
    if (!run) return one === '' ? [] : [one];
    const [prefix, from, to] = [run[1]!, Number(run[2]), Number(run[3])];
    if (to < from || to - from >= WAYS_MOST) return [one];
    return Array.from({ length: to - from + 1 }, (_, k) => `${prefix}${from + k}`);
  });
  return [...new Set(names)].slice(0, WAYS_MOST);
}
