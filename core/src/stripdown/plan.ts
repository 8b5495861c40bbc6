import { InputProblem } from '../problem';
import type { BuildPart, Pack } from '../pack';
import { exposure, planCuts } from '../safety';
import { buildOf, partName } from './build';
import { leastWork, minutesOf } from './least';
import type { StripPart, StripProblem } from './problem';

/** A part that was taken off or put on again, in the order in which it happened. */
export interface Tick {
  part: string;
  off: boolean;
  /** How long it took, where somebody or the clock says. */
  minutes: number | null;
  /** Takes the last tick of this part back: it was not done. */
  mistake?: boolean | undefined;
  /** What its joint measured when it went on. */
  microohm?: number | null | undefined;
}
/** Where the pack stands. */
export interface Standing {
  ticks: readonly Tick[];
  /** Voltage of each module, by module index. */
  moduleV: readonly number[];
  /** Links that were pulled without a tick, to find a leak. */
  open?: readonly string[] | undefined;
}
/** What this workshop's own times say of a part. */
export interface Seen {
  n: number;
  medianMin: number;
  lowMin: number;
  highMin: number;
}
export interface PlanAsk extends Standing {
  /** Modules and other parts to be reached. */
  targets: string[];
  seen?: Readonly<Record<string, Seen>>;
  /** Minutes each time another tool is taken in the hand. Common practice, no source. */
  toolChangeMin?: number;
}
export interface PlanStep {
  id: string;
  kind: BuildPart['kind'];
  name: string;
  tool: string | null;
  changesTool: boolean;
  /** What it will take; of what is done, what it took, and null where nobody timed it. */
  minutes: number | null;
  /** How often it was timed here; 0 where the figure is the profile's or the usual one. */
  timed: number;
  massKg: number | null;
  persons: 1 | 2 | 'fixture';
  /** Highest voltage in any part of the string once this is off. */
  leftV: number;
  singleUse: string[];
  caution: string;
  /** Why it comes off: what it is in the way of; empty for what is wanted itself. */
  for: string;
  target: boolean;
  done: boolean;
}
export interface StripPlan {
  steps: PlanStep[];
  /** Of what is not done yet. */
  leftMin: number;
  lowMin: number;
  highMin: number;
  /** Steps that are left and were timed here: without any, all minutes are usual ones. */
  timedSteps: number;
  proved: boolean;
  lowerBoundMin: number;
  /** The build is the topology's, not told by anybody. */
  usual: boolean;
  /** Highest voltage in any part now, and once every step is done: more than 60 V where no link can help. */
  nowV: number;
  endV: number;
  /** To be at hand before it is opened, with how many. */
  order: { what: string; count: number; for: string[] }[];
  /** Other modules, and what they would add. */
  more: { id: string; minutes: number }[];
}

const TOOL_CHANGE_MIN = 1;
/** One person lifts up to this, two up to twice that; beyond, a fixture. Common practice, no source. */
export const ONE_PERSON_KG = 25;
/** How far minutes that nobody timed may be off, either way. */
const UNTIMED = 0.25;
/** How many neighbours are tried for what they would add. */
const MOST_MORE = 4;

/** What is off now, in the order it came off. */
export function offNow(ticks: readonly Tick[]): string[] {
  const off: string[] = [];
  for (const t of ticks) {
    const at = off.indexOf(t.part);
    if (at >= 0) off.splice(at, 1);
    if (t.off) off.push(t.part);
  }
  return off;
}

/** What is off or out, whoever recorded it how, in the order it was ticked. */
const gone = ({ ticks, open = [] }: Standing): string[] => {
  const off = offNow(ticks);
  return [...open.filter((id) => !off.includes(id)), ...off];
};

/** Links that have to be out before any module is moved, so that no part holds more than 60 V. */
const cutsFor = (pack: Pack, moduleV: readonly number[], parts: readonly BuildPart[]): string[] => {
  const ids = new Set(parts.map((p) => p.id));
  return planCuts(pack, moduleV)
    .steps.map((s) => s.linkId)
    .filter((id) => ids.has(id));
};

const movesModules = (p: BuildPart): boolean => p.kind === 'module' || p.kind === 'clamp';

/** The build as the solver takes it: what is off is done with, and no module moves while a part is above 60 V. */
function problemOf(
  pack: Pack,
  parts: readonly BuildPart[],
  ask: PlanAsk,
  targets: string[],
  off: ReadonlySet<string>,
): StripProblem {
  const cuts = cutsFor(pack, ask.moduleV, parts);
  const by = new Map(parts.map((p) => [p.id, p]));
  const waits = (p: BuildPart): string[] => (movesModules(p) ? cuts : []);
  return {
    parts: parts
      .filter((p) => !off.has(p.id))
      .map((p): StripPart => ({
        id: p.id,
        minutes: ask.seen?.[p.id]?.medianMin ?? p.minutes,
        tool: p.tool ?? null,
        after: (p.after && p.after.length > 0 ? p.after : [[]]).map((set) =>
          [...new Set([...set, ...waits(p)])].filter((id) => id !== p.id && !off.has(id) && by.has(id)),
        ),
      })),
    targets: [
      ...new Set([...targets, ...(targets.some((t) => by.get(t)?.kind === 'module') ? cuts : [])]),
    ].filter((t) => !off.has(t)),
    toolChangeMin: ask.toolChangeMin ?? TOOL_CHANGE_MIN,
  };
}

/** Links as early as they can be without more work: every part is below 60 V as soon as may be. */
function linksEarly(problem: StripProblem, order: string[], isLink: (id: string) => boolean): string[] {
  const by = new Map(problem.parts.map((p) => [p.id, p]));
  const can = (list: string[]): boolean => {
    const off = new Set<string>();
    return list.every((id) => {
      const { after } = by.get(id)!;
      const ok = after.length === 0 || after.some((set) => set.every((j) => off.has(j)));
      off.add(id);
      return ok;
    });
  };
  let best = order;
  let minutes = minutesOf(problem, best);
  for (let i = 1; i < best.length; i++) {
    if (!isLink(best[i]!)) continue;
    for (let k = 0; k < i; k++) {
      if (isLink(best[k]!)) continue;
      const moved = [...best.slice(0, k), best[i]!, ...best.slice(k, i), ...best.slice(i + 1)];
      if (can(moved) && minutesOf(problem, moved) <= minutes + 1e-9) {
        best = moved;
        minutes = minutesOf(problem, best);
        break;
      }
    }
  }
  return best;
}

/**
 * What comes off, in which order, to reach the targets: the least work from where the pack stands now, what was done before it in
 * front, with the voltage that is left after each step.
 * @throws InputProblem for a target that the build does not have or cannot reach.
 */
export function planStripdown(pack: Pack, ask: PlanAsk): StripPlan {
  const { parts, told } = buildOf(pack);
  const by = new Map(parts.map((p) => [p.id, p]));
  const unknown = ask.targets.find((t) => !by.has(t));
  if (unknown !== undefined)
    throw new InputProblem(
      'unknown-part',
      `The build of this pack has no ${unknown}.`,
      'targets',
      'A module, link or other part of its build.',
    );
  const off = gone(ask).filter((id) => by.has(id));
  const offSet = new Set(off);
  const problem = problemOf(pack, parts, ask, ask.targets, offSet);
  const solved = leastWork(problem);
  const order = linksEarly(problem, solved.order, (id) => by.get(id)!.kind === 'link');
  const taken = new Map<string, number>();
  for (const t of ask.ticks) if (t.off && t.minutes !== null) taken.set(t.part, t.minutes);
  const open = new Set<string>();
  let hand: string | null = null;
  const targets = new Set(ask.targets);
  const all = [...off, ...order];
  // Every other link lowers the voltage that is left: the figure beside it says so.
  const freed = (link: string): string => {
    const ends = ask.targets.filter(
      (t) => by.get(t)!.kind === 'module' && by.get(t)!.after?.some((set) => set.includes(link)),
    );
    return ends.length > 0 ? `one end of ${ends.map((t) => partName(by.get(t)!)).join(' and ')}` : '';
  };
  const steps = all.map((id, i): PlanStep => {
    const p = by.get(id)!;
    if (p.kind === 'link') open.add(id);
    const changesTool = p.tool !== undefined && hand !== null && p.tool !== hand;
    if (p.tool !== undefined) hand = p.tool;
    const seen = ask.seen?.[id];
    const mass = p.massKg ?? null;
    const needs = all.slice(i + 1).find((later) => by.get(later)!.after?.some((set) => set.includes(id)));
    return {
      id,
      kind: p.kind,
      name: partName(p),
      tool: p.tool ?? null,
      changesTool,
      minutes: offSet.has(id) ? (taken.get(id) ?? null) : (seen?.medianMin ?? p.minutes),
      timed: seen?.n ?? 0,
      massKg: mass,
      persons: mass === null || mass <= ONE_PERSON_KG ? 1 : mass <= 2 * ONE_PERSON_KG ? 2 : 'fixture',
      leftV: exposure(pack, ask.moduleV, open).worstV,
      singleUse: p.singleUse ?? [],
      caution: p.caution ?? '',
      for: targets.has(id)
        ? ''
        : p.kind === 'link'
          ? freed(id)
          : needs
            ? `in the way of ${partName(by.get(needs)!)}`
            : '',
      target: targets.has(id),
      done: offSet.has(id),
    };
  });
  const left = steps.filter((s) => !s.done);
  const spread = left.map((s): [number, number] => {
    const seen = ask.seen?.[s.id];
    return seen && seen.n > 1
      ? [seen.lowMin, seen.highMin]
      : [s.minutes! * (1 - UNTIMED), s.minutes! * (1 + UNTIMED)];
  });
  const leftMin = minutesOf(problem, order);
  const tools = leftMin - left.reduce((s, x) => s + x.minutes!, 0);
  const ordered = new Map<string, string[]>();
  for (const s of steps)
    for (const what of s.singleUse) ordered.set(what, [...(ordered.get(what) ?? []), s.name]);
  return {
    steps,
    leftMin,
    lowMin: tools + spread.reduce((s, [low]) => s + low, 0),
    highMin: tools + spread.reduce((s, [, high]) => s + high, 0),
    timedSteps: left.filter((s) => s.timed > 0).length,
    proved: solved.proved,
    lowerBoundMin: solved.lowerBoundMin,
    usual: !told,
    nowV: exposure(pack, ask.moduleV, new Set(off.filter((id) => by.get(id)!.kind === 'link'))).worstV,
    endV: exposure(pack, ask.moduleV, open).worstV,
    order: [...ordered].map(([what, used]) => ({ what, count: used.length, for: used })),
    more: moreModules(pack, parts, ask, offSet, leftMin),
  };
}

/** Modules beside those that come out, and the minutes each would add. */
function moreModules(
  pack: Pack,
  parts: readonly BuildPart[],
  ask: PlanAsk,
  off: ReadonlySet<string>,
  leftMin: number,
): StripPlan['more'] {
  const wanted = pack.modules.filter((m) => ask.targets.includes(m.id));
  const near = pack.modules
    .filter((m) => !ask.targets.includes(m.id) && !off.has(m.id) && parts.some((p) => p.id === m.id))
    .map((m) => ({
      m,
      far: Math.min(
        ...wanted.map(
          (w) =>
            Math.abs(w.place.row - m.place.row) +
            Math.abs(w.place.column - m.place.column) +
            3 * Math.abs(w.place.tier - m.place.tier),
        ),
      ),
    }))
    .filter((x) => x.far <= 1)
    .sort((a, b) => a.far - b.far)
    .slice(0, MOST_MORE);
  return near.flatMap(({ m }) => {
    const both = leastWork(problemOf(pack, parts, ask, [...ask.targets, m.id], off), 4000);
    // What is not proven is not told as what it would add.
    return both.proved ? [{ id: m.id, minutes: Math.max(0, both.minutes - leftMin) }] : [];
  });
}

/**
 * What has to go on again: what is off now, the last thing first; but the management plug after everything inside that carries
 * power, whenever it was taken off. The service disconnect is outside: it is the last of all where it was the first.
 */
export function rebuildOrder(pack: Pack, ticks: readonly Tick[]): BuildPart[] {
  const { parts } = buildOf(pack);
  const by = new Map(parts.map((p) => [p.id, p]));
  const order = offNow(ticks)
    .reverse()
    .flatMap((id) => by.get(id) ?? []);
  const outside = new Set(
    pack.profile.links?.filter((l) => l.kind === 'service-disconnect').map((l) => l.id) ?? [],
  );
  const plugs = order.filter((p) => p.kind === 'sense-plug');
  const rest = order.filter((p) => p.kind !== 'sense-plug');
  const power = rest.findLastIndex((p) => (p.kind === 'link' && !outside.has(p.id)) || movesModules(p));
  const first = order.findIndex((p) => p.kind === 'sense-plug');
  const at = Math.max(power + 1, plugs.length > 0 ? first : 0);
  return [...rest.slice(0, at), ...plugs, ...rest.slice(at)];
}

/** What is in the way of putting this on now: what has to be on before it, since it was taken off after it. */
export function tooEarly(pack: Pack, ticks: readonly Tick[], part: string): BuildPart[] {
  const order = rebuildOrder(pack, ticks);
  const at = order.findIndex((p) => p.id === part);
  return at < 0 ? [] : order.slice(0, at);
}

/**
 * What is in the way of taking this off now; empty where it is free. The alternative that lacks least is told; before a module is
 * moved, the links that bring every part below 60 V as well.
 */
export function inTheWay(pack: Pack, standing: Standing, part: string): BuildPart[] {
  const { parts } = buildOf(pack);
  const by = new Map(parts.map((p) => [p.id, p]));
  const off = new Set(gone(standing));
  const own = by.get(part);
  const cuts = own && movesModules(own) ? cutsFor(pack, standing.moduleV, parts) : [];
  const lacking = (own?.after?.length ? own.after : [[]]).map((set) =>
    [...new Set([...set, ...cuts])].filter((id) => id !== part && by.has(id) && !off.has(id)),
  );
  const least = lacking.reduce<string[] | null>((a, b) => (a === null || b.length < a.length ? b : a), null);
  return (least ?? []).map((id) => by.get(id)!);
}

/** A shop's own times of each part: median and the middle four fifths. */
export function seenTimes(times: readonly { part: string; minutes: number }[]): Record<string, Seen> {
  const of = new Map<string, number[]>();
  for (const t of times) of.set(t.part, [...(of.get(t.part) ?? []), t.minutes]);
  const at = (sorted: number[], q: number): number => {
    const x = q * (sorted.length - 1);
    const i = Math.floor(x);
    return sorted[i]! + (x - i) * ((sorted[i + 1] ?? sorted[i]!) - sorted[i]!);
  };
  return Object.fromEntries(
    [...of].map(([part, list]) => {
      const sorted = [...list].sort((a, b) => a - b);
      return [
        part,
        { n: sorted.length, medianMin: at(sorted, 0.5), lowMin: at(sorted, 0.1), highMin: at(sorted, 0.9) },
      ];
    }),
  );
}

/** How many parts of a name are at hand: told by the words of it, whatever their case and what stands beside them. */
export function atHand(what: string, names: readonly string[]): number {
  const words = what.toLowerCase().split(/\s+/).filter(Boolean);
  return names.filter((n) => {
    const own = n.toLowerCase();
    return words.every((w) => own.includes(w));
  }).length;
}
