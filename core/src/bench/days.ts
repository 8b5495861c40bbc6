import { scheduleBench, type BenchModule, type ScheduleAnswer, type ScheduleAsk } from './schedule';

/** A workshop's bench and the hours in which somebody is there. */
export interface BenchHours {
  channels: number;
  powerBudgetKw: number;
  persons: number;
  /** Hours of the day in which somebody is there, and the days of the week (0 is Sunday). */
  fromHour: number;
  toHour: number;
  workdays: readonly number[];
  /** Steps may run while nobody is there. */
  alone: boolean;
  /** When it begins: day of the week, hour. */
  startDay: number;
  startHour: number;
  /** Sets of leads that fit: no more is connected at once. */
  leadSets?: number;
  /** Days from the first on that nobody is there, whatever day of the week. */
  closedDays?: readonly number[];
}
/** The question a workshop asks of its bench: how many days will it take? */
export interface DaysAsk extends BenchHours {
  /** Names of what goes on the bench, one charge and one discharge each. */
  sets: readonly string[];
  capacityAh: number;
  /** Of one set, V, for the socket's power. */
  voltageV: number;
  /** What a channel can. */
  channelA: number;
  /** Two sets together: one is discharged into the other. */
  transfer: boolean;
  /** What runs already, and how long it still takes, h. */
  running?: readonly { id: string; leftH: number }[];
}
export interface DaysAnswer extends ScheduleAnswer {
  modules: BenchModule[];
  /** Which channel each takes, by name. */
  channelOf: Record<string, number>;
  /** When what is connected, from the beginning on. */
  handsAtH: { atH: number; what: string }[];
}

const CONNECT_H = 0.25;
const REST_H = 1;
const GRID_H = 0.25;
/** A charger takes more from the socket than it gives. From memory. */
const EFFICIENCY = 0.88;
const WINDOWS_DAYS = 120;

const onGrid = (h: number): number => Math.ceil(h / GRID_H - 1e-9) * GRID_H;

/** From when to when somebody is there, h from the beginning, so many days on. */
export function workingWindows(b: BenchHours, days: number): [number, number][] {
  const out: [number, number][] = [];
  for (let d = 0; d < days; d++) {
    if (!b.workdays.includes((b.startDay + d) % 7) || b.closedDays?.includes(d)) continue;
    const [from, to] = [d * 24 + b.fromHour - b.startHour, d * 24 + b.toHour - b.startHour];
    if (to > 0) out.push([Math.max(0, from), to]);
  }
  return out;
}

/** Steps of each set, or of each pair with transfer, and when people are there. */
export function daysToSchedule(ask: DaysAsk): ScheduleAsk {
  const leg = onGrid(ask.capacityAh / ask.channelA);
  const kw = (ask.channelA * ask.voltageV) / 1000 / EFFICIENCY;
  const attended = !ask.alone;
  const step = (name: string, hours: number, powerKw: number, present: boolean) => ({
    name,
    hours,
    powerKw,
    attended: present,
    channel: true,
  });
  const connect = step('connect', CONNECT_H, 0, true);
  const single = (id: string): BenchModule => ({
    id,
    releaseH: 0,
    steps: [
      connect,
      step('charge', leg, kw, attended),
      step('rest', REST_H, 0, false),
      step('discharge', leg, 0, attended),
    ],
  });
  const pair = (id: string): BenchModule => ({
    id,
    releaseH: 0,
    // What one gives the other takes: only the first charge and what is lost on the way comes from the socket.
    steps: [
      connect,
      step('charge the first', leg, kw, attended),
      step('rest', REST_H, 0, false),
      step('into the second', leg, kw * (1 - EFFICIENCY ** 2), attended),
      step('rest', REST_H, 0, false),
      step('and back', leg, kw * (1 - EFFICIENCY ** 2), attended),
    ],
  });
  const modules: BenchModule[] = [];
  if (ask.transfer)
    for (let i = 0; i < ask.sets.length; i += 2)
      modules.push(
        i + 1 < ask.sets.length ? pair(`${ask.sets[i]} + ${ask.sets[i + 1]}`) : single(ask.sets[i]!),
      );
  else modules.push(...ask.sets.map(single));
  for (const r of ask.running ?? [])
    modules.push({
      id: r.id,
      releaseH: 0,
      begun: true,
      steps: [step('runs', Math.max(GRID_H, onGrid(r.leftH)), kw, false)],
    });
  const workingWindowsH = workingWindows(ask, WINDOWS_DAYS);
  return {
    channels: Math.max(Math.min(ask.channels, ask.leadSets ?? Infinity), ask.running?.length ?? 0),
    // What runs already is not asked whether the socket bears it.
    powerBudgetKw: Math.max(ask.powerBudgetKw, kw * (ask.running?.length ?? 0)),
    persons: ask.persons,
    holdChannel: true,
    gridH: GRID_H,
    workingWindowsH,
    modules,
  };
}

/** Sets that are alike go on in the order of their names: which of them is which makes no difference. */
function inOrder(
  modules: readonly BenchModule[],
  startH: Record<string, number[]>,
): Record<string, number[]> {
  const alike = new Map<string, string[]>();
  for (const m of modules) {
    const kind = m.begun ? m.id : JSON.stringify(m.steps);
    alike.set(kind, [...(alike.get(kind) ?? []), m.id]);
  }
  const out: Record<string, number[]> = {};
  for (const ids of alike.values()) {
    const starts = ids.map((id) => startH[id]!).sort((a, b) => a[0]! - b[0]!);
    ids.forEach((id, i) => (out[id] = starts[i]!));
  }
  return out;
}

/**
 * No plan ends sooner: a channel takes the next set only when the last has run, and only while somebody is there, so that in
 * each window it takes no more than fit in it one after another.
 */
function startsBound({ modules, channels, workingWindowsH }: ScheduleAsk): number {
  const hours = modules.map((m) => m.steps.reduce((s, x) => s + x.hours, 0));
  const least = Math.min(...hours);
  let left = modules.length;
  for (const [from, to] of workingWindowsH) {
    const room = to - from - CONNECT_H;
    if (room < -1e-9) continue;
    const taken = channels * (Math.floor(room / least + 1e-9) + 1);
    if (taken >= left) return from + Math.ceil(left / channels) * least;
    left -= taken;
  }
  return 0;
}

/** When what runs where, and when hands are needed. @throws InputProblem as {@link scheduleBench} */
export function benchDays(ask: DaysAsk): DaysAnswer {
  const schedule = daysToSchedule(ask);
  const found = scheduleBench(schedule);
  const lowerBoundH = Math.max(found.lowerBoundH, startsBound(schedule));
  const answer = {
    ...found,
    startH: inOrder(schedule.modules, found.startH),
    lowerBoundH,
    proved: found.proved || found.makespanH <= lowerBoundH + 1e-9,
  };
  const ends = (m: BenchModule): number => {
    const starts = answer.startH[m.id]!;
    return starts.at(-1)! + m.steps.at(-1)!.hours;
  };
  // A module keeps its channel from its first step to its last: the first channel that is free takes it.
  const free = Array.from({ length: schedule.channels }, () => 0);
  const channelOf: Record<string, number> = {};
  for (const m of [...schedule.modules].sort(
    (a, b) =>
      answer.startH[a.id]![0]! - answer.startH[b.id]![0]! ||
      Number(b.begun === true) - Number(a.begun === true),
  )) {
    const at = answer.startH[m.id]![0]!;
    const channel = free.findIndex((f) => f <= at + 1e-9);
    channelOf[m.id] = Math.max(0, channel);
    free[channelOf[m.id]!] = ends(m);
  }
  return {
    ...answer,
    modules: schedule.modules,
    channelOf,
    handsAtH: schedule.modules
      .filter((m) => !m.begun)
      .map((m) => ({ atH: answer.startH[m.id]![0]!, what: m.id }))
      .sort((a, b) => a.atH - b.atH),
  };
}

/** A plan as somebody went by it: when what was to be connected, and when all is over. Times are ms since 1970. */
export interface KeptPlan {
  endMs: number;
  startMs: Record<string, number>;
  /** When what runs was to be over. */
  overMs: Record<string, number>;
}
export interface PlanChange {
  id: string;
  what: 'runs longer' | 'is over sooner' | 'later' | 'sooner' | 'no longer planned' | 'new';
  minutes: number;
}
/** A plan counts in quarters of an hour: less is no change. */
const SLIPS_MIN = 16;

/** What is not as it was planned: what slipped first, then what follows from it. */
export function planChanges(before: KeptPlan, now: KeptPlan): { endMinutes: number; changes: PlanChange[] } {
  const minutes = (ms: number): number => Math.round(ms / 60_000);
  const changes: PlanChange[] = [];
  const known = { ...before.startMs, ...before.overMs };
  for (const [id, over] of Object.entries(now.overMs)) {
    const planned = before.overMs[id];
    if (planned === undefined) continue;
    const by = minutes(over - planned);
    if (Math.abs(by) >= SLIPS_MIN)
      changes.push({ id, what: by > 0 ? 'runs longer' : 'is over sooner', minutes: Math.abs(by) });
  }
  for (const [id, start] of Object.entries(now.startMs)) {
    const planned = before.startMs[id];
    if (planned === undefined) {
      if (!(id in known)) changes.push({ id, what: 'new', minutes: 0 });
      continue;
    }
    const by = minutes(start - planned);
    if (Math.abs(by) >= SLIPS_MIN)
      changes.push({ id, what: by > 0 ? 'later' : 'sooner', minutes: Math.abs(by) });
  }
  for (const id of Object.keys(before.startMs))
    if (!(id in now.startMs) && !(id in now.overMs))
      changes.push({ id, what: 'no longer planned', minutes: 0 });
  return { endMinutes: minutes(now.endMs - before.endMs), changes };
}
