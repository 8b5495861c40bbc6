import { InputProblem } from '../problem';
import { Random } from '../simpack/random';

export interface BenchStep {
  name: string;
  hours: number;
  powerKw: number;
  /** Somebody has to be there: wholly inside one working window, one person. */
  attended: boolean;
  channel: boolean;
}
export interface BenchModule {
  id: string;
  releaseH: number;
  steps: BenchStep[];
  /** It runs already: it keeps its channel from its release on, whatever else is planned. */
  begun?: boolean;
}
export interface ScheduleAsk {
  channels: number;
  powerBudgetKw: number;
  persons: number;
  /** A module keeps its channel from its first step's start to its last one's end. */
  holdChannel: boolean;
  /** Divides all durations. */
  gridH: number;
  workingWindowsH: [number, number][];
  modules: BenchModule[];
  /** Orders tried by exchange at most; left out: as many as a plan to go by is worth. */
  mostOrders?: number;
}
export interface ScheduleAnswer {
  makespanH: number;
  lowerBoundH: number;
  proved: boolean;
  /** Start of each step by module. */
  startH: Record<string, number[]>;
}

const EPS = 1e-9;
/** Orders tried by exchange, and states of the exact search. */
const MOST_ORDERS = 400;
const MOST_STATES = 60_000;

interface Step {
  dur: number;
  kw: number;
  attended: boolean;
  channel: boolean;
}
interface Job {
  id: string;
  release: number;
  steps: Step[];
  begun: boolean;
}

/** Bench, power and people on a grid of time, and what is on it. */
class Bench {
  private readonly kw: number[] = [];
  private readonly people: number[] = [];
  private readonly busy: number[] = [];
  constructor(
    private readonly ask: ScheduleAsk,
    private readonly windows: readonly [number, number][],
  ) {}

  private inWindow(t: number, dur: number): boolean {
    return this.windows.some(([from, to]) => t >= from && t + dur <= to);
  }
  /** Whether a step fits from t on; else the next moment that may do. */
  private fits(s: Step, t: number, channel: boolean): boolean {
    if (s.attended && !this.inWindow(t, s.dur)) return false;
    for (let i = t; i < t + s.dur; i++) {
      if ((this.kw[i] ?? 0) + s.kw > this.ask.powerBudgetKw + EPS) return false;
      if (s.attended && (this.people[i] ?? 0) >= this.ask.persons) return false;
      if (channel && (this.busy[i] ?? 0) >= this.ask.channels) return false;
    }
    return true;
  }
  earliest(s: Step, from: number, channel: boolean, latest: number): number {
    for (let t = from; t <= latest; t++) if (this.fits(s, t, channel)) return t;
    return -1;
  }
  /** The latest moment up to `to` at which a step fits, not before `from`. */
  latest(s: Step, from: number, to: number): number {
    for (let t = to; t > from; t--) if (this.fits(s, t, false)) return t;
    return from;
  }
  free(from: number, to: number): boolean {
    for (let i = from; i < to; i++) if ((this.busy[i] ?? 0) >= this.ask.channels) return false;
    return true;
  }
  put(s: Step, t: number, sign: 1 | -1, channel: boolean): void {
    for (let i = t; i < t + s.dur; i++) {
      this.kw[i] = (this.kw[i] ?? 0) + sign * s.kw;
      if (s.attended) this.people[i] = (this.people[i] ?? 0) + sign;
      if (channel) this.busy[i] = (this.busy[i] ?? 0) + sign;
    }
  }
  hold(from: number, to: number, sign: 1 | -1): void {
    for (let i = from; i < to; i++) this.busy[i] = (this.busy[i] ?? 0) + sign;
  }
}

/**
 * When each step of each module runs: in order, never interrupted, within power, channels, people and their hours. Exact where
 * the search ends or the bound is met; else the best found, with the bound.
 * @throws InputProblem for durations off the grid and for steps that can never run.
 */
export function scheduleBench(ask: ScheduleAsk): ScheduleAnswer {
  const { gridH, modules } = ask;
  const onGrid = (h: number, where: string): number => {
    const n = Math.round(h / gridH);
    if (Math.abs(n * gridH - h) > 1e-6 * Math.max(1, h))
      throw new InputProblem(
        'grid',
        `${h} h is no multiple of ${gridH} h.`,
        where,
        'Durations that the grid divides.',
      );
    return n;
  };
  const windows = ask.workingWindowsH.map(([a, b]): [number, number] => [
    Math.ceil(a / gridH - 1e-9),
    Math.floor(b / gridH + 1e-9),
  ]);
  const jobs = modules.map((m, i): Job => ({
    id: m.id,
    begun: m.begun === true,
    release: Math.max(0, Math.ceil(m.releaseH / gridH - 1e-9)),
    steps: m.steps.map((s, k) => {
      const where = `modules[${i}].steps[${k}]`;
      if (s.powerKw > ask.powerBudgetKw + EPS)
        throw new InputProblem(
          'power',
          `${m.id} ${s.name} takes ${s.powerKw} kW of ${ask.powerBudgetKw} kW.`,
          `${where}.powerKw`,
          'No more than the budget.',
        );
      const dur = onGrid(s.hours, `${where}.hours`);
      if (s.attended && (ask.persons < 1 || !windows.some(([a, b]) => b - a >= dur)))
        throw new InputProblem(
          'attended',
          `${m.id} ${s.name} of ${s.hours} h fits no working window.`,
          `${where}.attended`,
          'A window as long as the step, and somebody there.',
        );
      if ((s.channel || ask.holdChannel) && ask.channels < 1)
        throw new InputProblem('channels', 'There is no channel.', 'channels', 'One or more.');
      return { dur, kw: s.powerKw, attended: s.attended, channel: s.channel };
    }),
  }));
  if (new Set(jobs.map((j) => j.id)).size !== jobs.length)
    throw new InputProblem('twice', 'A module is listed twice.', 'modules', 'Each id once.');
  const work = jobs.reduce((s, j) => s + j.steps.reduce((k, x) => k + x.dur, 0), 0);
  const lastWindow = Math.max(0, ...windows.map(([, b]) => b));
  const horizon = Math.max(0, ...jobs.map((j) => j.release)) + work + lastWindow + 1;

  /** A whole module at the earliest, as the bench stands; null where its windows have run out. */
  const place = (bench: Bench, job: Job, put: boolean): number[] | null => {
    const latest = horizon;
    for (let begin = job.release; begin <= latest; begin++) {
      // Where no channel is free nothing begins; what could begin there and be moved up is found from where it is moved to.
      if (ask.holdChannel && job.steps.length > 0 && !bench.free(begin, begin + 1)) continue;
      const starts: number[] = [];
      let t = begin;
      let ok = true;
      for (const [k, s] of job.steps.entries()) {
        const at = bench.earliest(s, t, !ask.holdChannel && s.channel, k === 0 ? begin : latest);
        if (at < 0) {
          ok = false;
          break;
        }
        starts.push(at);
        t = at + s.dur;
      }
      if (!ok && starts.length > 0) return null;
      // A channel is not kept for a wait that can as well be had before it is taken.
      if (ok && ask.holdChannel)
        for (let k = starts.length - 2; k >= 0; k--)
          starts[k] = bench.latest(job.steps[k]!, starts[k]!, starts[k + 1]! - job.steps[k]!.dur);
      if (!ok || (ask.holdChannel && starts.length > 0 && !bench.free(starts[0]!, t))) continue;
      if (put) {
        job.steps.forEach((s, k) => bench.put(s, starts[k]!, 1, !ask.holdChannel && s.channel));
        if (ask.holdChannel && starts.length > 0) bench.hold(starts[0]!, t, 1);
      }
      return starts;
    }
    return null;
  };
  const endOf = (job: Job, starts: readonly number[]): number =>
    starts.length === 0 ? job.release : starts[starts.length - 1]! + job.steps[job.steps.length - 1]!.dur;
  const run = (order: readonly number[]): { starts: number[][]; end: number } | null => {
    const bench = new Bench(ask, windows);
    const starts: number[][] = [];
    let end = 0;
    // What runs already is where it is; the others go round it.
    for (const j of [...order.filter((k) => jobs[k]!.begun), ...order.filter((k) => !jobs[k]!.begun)]) {
      const s = place(bench, jobs[j]!, true);
      if (!s) return null;
      starts[j] = s;
      end = Math.max(end, endOf(jobs[j]!, s));
    }
    return { starts, end };
  };

  const bound = lowerBound(ask, jobs, windows, (job) => {
    const s = place(new Bench(ask, windows), job, false);
    return s ? endOf(job, s) : Infinity;
  });
  const length = (j: number): number => jobs[j]!.steps.reduce((s, x) => s + x.dur, 0);
  const all = jobs.map((_, i) => i);
  let best = null as { starts: number[][]; end: number } | null;
  let bestOrder = all;
  for (const order of [
    [...all].sort((a, b) => length(b) - length(a)),
    [...all].sort((a, b) => jobs[a]!.release - jobs[b]!.release || length(b) - length(a)),
    all,
  ]) {
    const r = run(order);
    if (r && (!best || r.end < best.end)) {
      best = r;
      bestOrder = order;
    }
  }
  const random = new Random(1);
  const most = Math.min(MOST_ORDERS, Math.max(40, Math.round(40_000 / (work + 1))));
  const tries = jobs.length > 1 ? Math.min(most, ask.mostOrders ?? most) : 0;
  for (let i = 0; i < tries && (!best || best.end > bound); i++) {
    const order = [...bestOrder];
    const [a, b] = [random.integer(0, order.length - 1), random.integer(0, order.length - 1)];
    const [moved] = order.splice(a, 1);
    order.splice(b, 0, moved!);
    const r = run(order);
    if (r && (!best || r.end <= best.end)) {
      best = r;
      bestOrder = order;
    }
  }
  let proved = best !== null && best.end <= bound;
  if (
    !proved &&
    !ask.holdChannel &&
    !jobs.some((j) => j.begun) &&
    jobs.reduce((s, j) => s + j.steps.length, 0) <= 12
  ) {
    // Every list of steps in their order: serial insertion at the earliest reaches an optimum.
    const bench = new Bench(ask, windows);
    const at = jobs.map(() => 0);
    const ready = jobs.map((j) => j.release);
    const starts: number[][] = jobs.map(() => []);
    const seen = new Set<string>();
    let states = 0;
    let gaveUp = false;
    const go = (): void => {
      if (gaveUp || (best && best.end <= bound)) return;
      if (++states > MOST_STATES) {
        gaveUp = true;
        return;
      }
      if (at.every((k, j) => k === jobs[j]!.steps.length)) {
        const end = Math.max(0, ...ready);
        if (!best || end < best.end) best = { starts: starts.map((s) => [...s]), end };
        return;
      }
      const key = starts.map((s) => s.join(',')).join(';');
      if (seen.has(key)) return;
      seen.add(key);
      for (const [j, job] of jobs.entries()) {
        const k = at[j]!;
        const s = job.steps[k];
        if (!s) continue;
        const t = bench.earliest(s, ready[j]!, s.channel, best ? best.end : horizon);
        const left = job.steps.slice(k).reduce((x, y) => x + y.dur, 0);
        if (t < 0 || (best && t + left >= best.end)) continue;
        const before = ready[j]!;
        bench.put(s, t, 1, s.channel);
        at[j]!++;
        ready[j] = t + s.dur;
        starts[j]!.push(t);
        go();
        starts[j]!.pop();
        ready[j] = before;
        at[j]!--;
        bench.put(s, t, -1, s.channel);
      }
    };
    go();
    proved = !gaveUp && best !== null;
  }
  if (!best)
    throw new InputProblem(
      'windows',
      'The working windows end before everything attended is done.',
      'workingWindowsH',
      'More windows.',
    );
  const done = best;
  return {
    makespanH: done.end * gridH,
    lowerBoundH: (proved ? done.end : Math.min(bound, done.end)) * gridH,
    proved,
    startH: Object.fromEntries(jobs.map((j, i) => [j.id, done.starts[i]!.map((t) => t * gridH)])),
  };
}

/** No plan ends before this: each module alone, and each kind of means shared by all. */
function lowerBound(
  ask: ScheduleAsk,
  jobs: readonly Job[],
  windows: readonly [number, number][],
  alone: (job: Job) => number,
): number {
  const steps = jobs.flatMap((j) => j.steps);
  const first = Math.min(...jobs.map((j) => j.release), Infinity);
  const from = Number.isFinite(first) ? first : 0;
  const channelWork = jobs.reduce(
    (s, j) => s + j.steps.reduce((k, x) => k + (ask.holdChannel || x.channel ? x.dur : 0), 0),
    0,
  );
  const energy = steps.reduce((s, x) => s + x.kw * x.dur, 0);
  let attended = steps.reduce((s, x) => s + (x.attended ? x.dur : 0), 0);
  let people = 0;
  for (const [a, b] of [...windows].sort((x, y) => x[0] - y[0])) {
    if (attended <= 0) break;
    const room = ask.persons * Math.max(0, b - Math.max(a, from));
    if (room >= attended) people = Math.max(a, from) + Math.ceil(attended / ask.persons);
    attended -= room;
  }
  return Math.max(
    0,
    ...jobs.map(alone),
    ask.channels > 0 ? from + Math.ceil(channelWork / ask.channels - 1e-9) : 0,
    ask.powerBudgetKw > 0 ? from + Math.ceil(energy / ask.powerBudgetKw - 1e-9) : 0,
    people,
  );
}
