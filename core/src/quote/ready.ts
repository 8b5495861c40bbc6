import { scheduleBench, workingWindows, type BenchHours, type BenchModule, type BenchStep } from '../bench';
import type { Span } from '../cost';
import { InputProblem } from '../problem';

export interface ReadyAsk {
  bench: BenchHours;
  /** Hands until the places are laid free, and until all is back, h. */
  outH: Span;
  backH: Span;
  /** On a supply until each module that goes in is level, h, and what that takes from the socket. */
  levelH: readonly number[];
  levelKw: number;
  /** Days until what is not here comes in; null where all is here. */
  partsInDays: Span | null;
}
export interface Ready {
  /** Calendar days from today; 0 is today. */
  days: Span;
  /** What comes in is still to be measured and levelled, which nobody can foretell: no sooner than this. */
  atLeast?: boolean;
  /** What the end waits for in the likely case. */
  waitsFor: 'hands' | 'bench' | 'parts';
}

const GRID_H = 0.25;
const CONNECT_H = 0.25;
/** What somebody has to watch is planned in pieces of this, so that an evening lies between them where it has to. */
const PIECE_H = 1;
const WINDOWS_DAYS = 365;
/** Days are told, not a plan to go by: a few orders are enough. */
const ORDERS = 12;
const up = (h: number): number => Math.ceil(h / GRID_H - 1e-9) * GRID_H;

/** Steps of one after another for somebody who has to be there. */
const pieces = (hours: number): BenchStep[] => {
  const out: BenchStep[] = [];
  for (let left = up(hours); left > 1e-9; left -= PIECE_H)
    out.push({ name: 'level', hours: Math.min(left, PIECE_H), powerKw: 0, attended: true, channel: true });
  return out;
};

/** What goes on the bench: each connected by somebody, then levelled, alone or in the pieces that somebody is there. */
const onBench = ({ bench, levelH, levelKw }: ReadyAsk): BenchModule[] =>
  levelH.flatMap((h, i): BenchModule[] =>
    up(h) === 0
      ? []
      : [
          {
            id: `module ${i}`,
            releaseH: 0,
            steps: [
              { name: 'connect', hours: CONNECT_H, powerKw: 0, attended: true, channel: true },
              ...(bench.alone
                ? [{ name: 'level', hours: up(h), powerKw: levelKw, attended: false, channel: true }]
                : pieces(h).map((s) => ({ ...s, powerKw: levelKw }))),
            ],
          },
        ],
  );

/**
 * When the vehicle can be ready, in days: places are laid free while the bench brings level what goes in, what is ordered comes in,
 * and all of it is put back, within the hours that somebody is there. The bench goes before: what it runs goes on by itself. Each end
 * of the spans together: soonest, likely, latest.
 *
 * @throws InputProblem as {@link scheduleBench}
 */
export function readyIn(ask: ReadyAsk): Ready {
  const { bench: b } = ask;
  const open = workingWindows(b, WINDOWS_DAYS);
  const modules = onBench(ask);
  const plan =
    modules.length === 0
      ? null
      : scheduleBench({
          channels: Math.max(1, Math.min(b.channels, b.leadSets ?? Infinity)),
          powerBudgetKw: b.powerBudgetKw,
          persons: b.persons,
          gridH: GRID_H,
          holdChannel: true,
          workingWindowsH: open,
          mostOrders: ORDERS,
          modules,
        });
  const benchH = plan?.makespanH ?? 0;
  /** Persons that the bench takes, by quarters of an hour. */
  const taken: number[] = [];
  for (const m of modules)
    m.steps.forEach((s, k) => {
      if (!s.attended) return;
      const from = Math.round(plan!.startH[m.id]![k]! / GRID_H);
      for (let i = from; i < from + s.hours / GRID_H; i++) taken[i] = (taken[i] ?? 0) + 1;
    });
  /** When so many hours of hands are done, begun no sooner; an evening may lie between. */
  const handsUntil = (hours: number, fromH: number): number => {
    let left = Math.round(up(hours) / GRID_H);
    if (left === 0) return fromH;
    for (const [a, z] of open)
      for (let i = Math.ceil(Math.max(a, fromH) / GRID_H - 1e-9); (i + 1) * GRID_H <= z + 1e-9; i++) {
        if ((taken[i] ?? 0) >= b.persons) continue;
        if (--left === 0) return (i + 1) * GRID_H;
      }
    throw new InputProblem(
      'windows',
      'The working hours of a year end before everything is done.',
      'bench',
      'More hours in which somebody is there.',
    );
  };
  const ends = (['low', 'likely', 'high'] as const).map((k) => {
    const outH = handsUntil(ask.outH[k], 0);
    const partsH = ask.partsInDays === null ? 0 : Math.max(0, ask.partsInDays[k] * 24 - b.startHour);
    const from = Math.max(benchH, outH, partsH);
    const waitsFor: Ready['waitsFor'] =
      partsH > 0 && partsH >= from ? 'parts' : benchH > outH ? 'bench' : 'hands';
    return { atH: handsUntil(ask.backH[k], from), waitsFor };
  });
  const day = (atH: number): number => Math.max(0, Math.floor((b.startHour + atH - 1e-6) / 24));
  const [low, likely, high] = ends.map((e) => day(e.atH));
  return { days: { low: low!, likely: likely!, high: high! }, waitsFor: ends[1]!.waitsFor };
}

/** `ready today`, `ready within 2 days`, `ready in 3 days`, `ready in 3 to 6 days`. */
export function readySays({ low, high }: Span): string {
  const n = (d: number): string => `${d} day${d === 1 ? '' : 's'}`;
  if (high === 0) return 'ready today';
  if (low === 0) return `ready within ${n(high)}`;
  return low === high ? `ready in ${n(high)}` : `ready in ${low} to ${n(high)}`;
}
