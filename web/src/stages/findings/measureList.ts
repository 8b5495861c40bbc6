import type { Measure, MeasureKind } from '@cellmend/core/route';

/** A list while somebody changes it: what was signed stays, dropped with a reason; what was not can be taken out. */
export interface Draft {
  measures: Measure[];
  elsewhere: string;
}

/** The next free id: `m1`, `m2` … */
function nextId(list: readonly Measure[]): string {
  const used = list.map((m) => Number(/^m(\d+)$/.exec(m.id)?.[1] ?? 0));
  return `m${Math.max(0, ...used) + 1}`;
}

export function withLine(list: readonly Measure[], kind: MeasureKind, place: string, why = ''): Measure[] {
  const there = list.find((m) => m.kind === kind && m.place === place);
  if (there) return list.map((m) => (m === there ? { ...m, dropped: '' } : m));
  return [...list, { id: nextId(list), kind, place, why, closed: false, dropped: '' }];
}

/** Takes a line out; one that was signed is dropped instead, and asks why. */
export const withoutLine = (list: readonly Measure[], id: string, signed: readonly Measure[]): Measure[] =>
  signed.some((m) => m.id === id)
    ? list.map((m) => (m.id === id ? { ...m, dropped: 'not needed any more' } : m))
    : list.filter((m) => m.id !== id);

export const changed = (list: readonly Measure[], id: string, by: Partial<Measure>): Measure[] =>
  list.map((m) => (m.id === id ? { ...m, ...by } : m));

/** Sets the modules of one kind to exactly these, keeping the lines of those that stay. */
export function withModules(
  list: readonly Measure[],
  kind: MeasureKind,
  modules: readonly string[],
  signed: readonly Measure[],
): Measure[] {
  const standing = list.filter((m) => m.kind === kind && m.dropped === '');
  const gone = standing.filter((m) => !modules.includes(m.place));
  let next = [...list];
  for (const m of gone) next = withoutLine(next, m.id, signed);
  for (const place of modules)
    if (!standing.some((m) => m.place === place)) next = withLine(next, kind, place);
  return next;
}

/**
 * Both lists when two people decided at once: what the other signed stays, what was chosen here is added. Whoever signs
 * over it drops what is not wanted, with a reason.
 */
export const together = (mine: readonly Measure[], theirs: readonly Measure[]): Measure[] =>
  mine
    .filter((m) => m.dropped === '')
    .reduce<Measure[]>(
      (list, m) => {
        const next = withLine(list, m.kind, m.place, m.why);
        return m.closed
          ? next.map((k) => (k.kind === m.kind && k.place === m.place ? { ...k, closed: true } : k))
          : next;
      },
      [...theirs],
    );

/**
 * What the owner chose, as a list to be signed: its lines stand, what was signed before and is not among them is dropped with
 * the choice as the reason.
 */
export const fromChoice = (
  lines: readonly Pick<Measure, 'kind' | 'place'>[],
  chosen: string,
  signed: readonly Measure[],
): Measure[] =>
  lines.reduce<Measure[]>(
    (list, l) => withLine(list, l.kind, l.place, `the owner chose: ${chosen}`),
    signed.map((m) =>
      m.dropped === '' && !lines.some((l) => l.kind === m.kind && l.place === m.place)
        ? { ...m, dropped: `the owner chose: ${chosen}` }
        : m,
    ),
  );

/** Where the list of a job is kept while somebody changes it. */
export const draftName = (job: number, version: number): string => `${job}.measures.${version}`;

/** What was proposed, with ids. */
export const fromProposal = (lines: readonly Omit<Measure, 'id'>[]): Measure[] =>
  lines.reduce<Measure[]>((list, l) => withLine(list, l.kind, l.place, l.why), []);
