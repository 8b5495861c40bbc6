import {
  beginControl,
  decide,
  fromRest,
  mustNotBeDead,
  planOf,
  recipesFor,
  setpointOf,
  type BenchReading,
  type ControlState,
  type PlanStep,
} from '@cellmend/core/bench';
import type { PackProfile } from '@cellmend/core/pack';
import { SimulatedModule, type ModuleFacts } from './simulatedModule';

/** Ways in which an instrument tells a voltage that is not the module's. */
export const LIES = [
  'none',
  'stuck from the start',
  'stuck after a while',
  'another channel',
  'half',
  'a thousandfold',
  'the sign turned',
  'too low',
  'too high',
  'late',
  'empty',
  'not a number',
  'nought',
] as const;
export type Lie = (typeof LIES)[number];

export interface LyingRun {
  profile: PackProfile;
  cells: number;
  recipe: string;
  facts: ModuleFacts;
  lie: Lie;
  /** When the lie begins, s of the run. */
  afterS: number;
  /** Time between readings, s. */
  everyS: number;
  random: () => number;
}
export interface LyingEnd {
  /** Why it ended; empty where it came to the end of its recipe. */
  why: string;
  /** It never began: its rest voltage was refused. */
  refused: boolean;
  hours: number;
  /** Most and least that the module held at any time, of what it can hold. */
  fullest: number;
  emptiest: number;
  /** Charge that was put in more than was taken out, of the rating, at the end of what is charged hard. */
  put: number;
  state: ControlState;
}

/** What the instrument tells of a module. */
function told(run: LyingRun, history: number[], trueV: number, timeS: number): number {
  if (timeS < run.afterS && run.lie !== 'stuck from the start' && run.lie !== 'another channel') return trueV;
  const first = history[0]!;
  switch (run.lie) {
    case 'none':
      return trueV;
    case 'stuck from the start':
      return first;
    case 'stuck after a while':
      return history[Math.min(history.length - 1, Math.ceil(run.afterS / run.everyS))]!;
    case 'another channel':
      return first * 0.995;
    case 'half':
      return trueV / 2;
    case 'a thousandfold':
      return trueV * 1000;
    case 'the sign turned':
      return -trueV;
    case 'too low':
      return trueV - 0.02 * first;
    case 'too high':
      return trueV + 0.02 * first;
    case 'late':
      return history[Math.max(0, history.length - 1 - Math.ceil(90 / run.everyS))]!;
    case 'empty':
    case 'not a number':
      return NaN;
    case 'nought':
      return 0.01;
  }
}

/** Plays a recipe on a simulated module by the same decisions as a real run, as fast as it can be worked out. */
export function playLying(run: LyingRun): LyingEnd {
  const module = new SimulatedModule(run.facts);
  const recipe = recipesFor(run.profile).find((r) => r.id === run.recipe)!;
  const plan: PlanStep[] = planOf(recipe, run.profile, run.cells);
  const noise = (): number => (run.random() - 0.5) * 0.001;
  const history: number[] = [];
  const read = (currentA: number, timeS: number): BenchReading => {
    const trueV = module.voltageV(currentA) + noise();
    history.push(trueV);
    return { voltageV: told(run, history, trueV, timeS), currentA, temperatureC: module.temperatureC };
  };
  const share = (): number => {
    const { cells } = module.state();
    return cells.reduce((n, c) => n + c.ah, 0) / cells.reduce((n, c) => n + c.capacityAh, 0);
  };
  const end = { refused: false, hours: 0, fullest: share(), emptiest: share(), put: 0 };
  // The source may hold its voltage by the same wrong reading, and never taper.
  const believes = run.lie !== 'none' && run.random() < 0.5;
  const rest = read(0, 0);
  try {
    mustNotBeDead(run.profile, recipe, rest.voltageV, run.cells);
  } catch (e) {
    return { ...end, refused: true, why: String(e), state: beginControl() };
  }
  // What a gentle charge gives a full cell turns into heat, by design.
  const gentleA = Math.max(0, ...plan.map((p) => p.answers?.gentleA ?? 0));
  let state = fromRest(beginControl(), rest);
  for (let timeS = 0; timeS < 40 * 3600;) {
    const to = setpointOf(plan, state);
    // A source in constant voltage holds the voltage that it believes.
    let currentA = to.mode === 'rest' ? 0 : to.mode === 'charge' ? -to.currentA : to.currentA;
    if (to.mode === 'charge' && !(believes && timeS >= run.afterS))
      currentA = -Math.min(to.currentA, module.chargesAtV(to.limitV * 1.002));
    module.advance(run.everyS, currentA);
    timeS += run.everyS;
    end.fullest = Math.max(end.fullest, share());
    end.emptiest = Math.min(end.emptiest, share());
    const decided = decide(plan, state, read(currentA, timeS), run.everyS);
    state = decided.state;
    if (-currentA > gentleA * 1.01)
      end.put = Math.max(end.put, (state.inAh - state.outAh) / run.facts.ratedAh);
    end.hours = timeS / 3600;
    if (decided.does === 'off' || decided.does === 'done')
      return { ...end, why: decided.does === 'off' ? decided.says : '', state };
  }
  return { ...end, why: 'it never ended', state };
}
