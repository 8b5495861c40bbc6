import type { PackProfile } from '../pack';
import { answeringOf, type Answering } from './answering';
import type { HardLimits, Recipe, RecipeId, RecipeStep } from './recipes';

/** A limit of a step, in the words of whoever reads why it ended. */
export const LIMIT_NAMES = [
  'high voltage',
  'low voltage',
  'current',
  'heat',
  'warming',
  'minus delta V',
  'charge',
  'time',
] as const;
export type LimitName = (typeof LIMIT_NAMES)[number];

/** What a charger is told in one step, for one module: volts of the whole module, not of a cell. */
export interface PlanStep {
  name: string;
  mode: 'rest' | 'charge' | 'discharge';
  /** A, never negative. */
  currentA: number;
  /** Drawn by resistors of so many Ω: what flows follows the voltage, up to `currentA`. Null: by an instrument that is set. */
  ohm?: number | null;
  limits: {
    mostV: number;
    leastV: number;
    mostA: number;
    mostC: number;
    mostCPerMin: number | null;
    minusDeltaV: number | null;
    mostAh: number;
    mostS: number;
  };
  /** What a crossed limit does: on to the next step, or output off and the run over. */
  then: Record<LimitName, 'next' | 'off'>;
  /** It is over after so long, s; null: one of its limits ends it. */
  lastsS: number | null;
  /** A charge at constant voltage is over when its current has fallen to this, A. */
  tapersToA: number | null;
  /** What the voltage has to do while current flows; runs of before were planned without. */
  answers?: Answering | null;
}

/** A charge at constant voltage is full at this share of the rating, C. Common practice, no source. */
const TAPER_C = 0.05;
const OFF: Record<LimitName, 'off'> = {
  'high voltage': 'off',
  'low voltage': 'off',
  current: 'off',
  heat: 'off',
  warming: 'off',
  'minus delta V': 'off',
  charge: 'off',
  time: 'off',
};

/** What a crossed limit does in one step of a recipe. A charge of NiMH is full by −ΔV, by warming or by what flowed in. */
function whatThen(recipe: Recipe, step: RecipeStep, nimh: boolean): Record<LimitName, 'next' | 'off'> {
  // A recovery that does not hold has come to its end: what falls back is its answer.
  if (step.currentA === 0)
    return { ...OFF, time: 'next', ...(recipe.id === 'recover' ? { 'low voltage': 'next' as const } : {}) };
  if (step.currentA > 0) return { ...OFF, 'low voltage': 'next' };
  const untilWarm = recipe.id === 'hard-charge' && step.limits.minusDeltaVPerCell !== null;
  return nimh
    ? {
        ...OFF,
        warming: 'next',
        'minus delta V': 'next',
        charge: 'next',
        heat: untilWarm ? 'next' : 'off',
        time: 'next',
      }
    : OFF;
}

const limitsOf = (l: HardLimits, cells: number): PlanStep['limits'] => ({
  mostV: l.mostVPerCell * cells,
  leastV: l.leastVPerCell * cells,
  mostA: l.mostA,
  mostC: l.mostC,
  mostCPerMin: l.mostCPerMin,
  minusDeltaV: l.minusDeltaVPerCell === null ? null : l.minusDeltaVPerCell * cells,
  mostAh: l.mostAh,
  mostS: l.mostHours * 3600,
});

/**
 * A recipe as one charger runs it on a module of so many cells. What a person does (connecting) is no step of it. A cell that
 * ran empty in the discharge before raises the cut-off: the string of cells is stopped before one is driven backwards.
 * @param dropouts cells seen to run empty before the cut-off in the module's last run
 */
export function planOf(recipe: Recipe, profile: PackProfile, cells: number, dropouts = 0): PlanStep[] {
  const nimh = profile.chemistry === 'nimh';
  return recipe.steps
    .filter((s) => s.name !== 'connect')
    .map((s): PlanStep => {
      const charges = s.currentA < 0;
      const limits = limitsOf(s.limits, cells);
      if (s.currentA > 0 && nimh && dropouts > 0)
        limits.leastV = Math.max(limits.leastV, raisedCutoffV(cells));
      const ohm = s.ohm ?? null;
      return {
        name: s.name,
        ohm,
        mode: s.currentA === 0 ? 'rest' : charges ? 'charge' : 'discharge',
        currentA: ohm === null ? Math.abs(s.currentA) : limits.mostV / ohm,
        limits: ohm === null ? limits : bankLimits(ohm, limits, profile.ratedCapacityAh),
        then: whatThen(recipe, s, nimh),
        lastsS: s.currentA === 0 || (charges && nimh) ? s.hours * 3600 : null,
        answers: answersOf(s.currentA, recipe.id, profile, cells),
        tapersToA:
          charges && !nimh && recipe.id !== 'wake'
            ? Math.min(TAPER_C * profile.ratedCapacityAh, Math.abs(s.currentA) / 2)
            : null,
      };
    });
}

/**
 * What the voltage has to do in a step; null where no current flows, and of a pack that is asleep: its switches are open, and nothing is
 * known of what is behind them.
 */
export const answersOf = (
  currentA: number,
  recipe: RecipeId,
  profile: PackProfile,
  cells: number,
): Answering | null => (currentA === 0 || recipe === 'wake' ? null : answeringOf(profile, cells));

/**
 * Cut-off that stops a NiMH string when its first cell has run empty, V: the others are still on their plateau of about 1.15 V,
 * the empty one is not let below zero. Common practice, no source.
 */
export const raisedCutoffV = (cells: number): number => (cells - 1) * 1.15;

/** Limits of a discharge through resistors: what flows and for how long is theirs. */
const bankLimits = (ohm: number, limits: PlanStep['limits'], ratedAh: number): PlanStep['limits'] => ({
  ...limits,
  mostA: (limits.mostV / ohm) * 1.1,
  mostS: (ratedAh / (limits.leastV / ohm)) * 1.2 * 3600,
});

/** What an instrument can do of a plan; empty where it can do all of it. */
export function cannotRun(
  plan: readonly PlanStep[],
  can: { charges: boolean; discharges: boolean; mostV: number; mostA: number | null; ohm?: number | null },
): string[] {
  const out: string[] = [];
  if (!can.charges && plan.some((s) => s.mode === 'charge')) out.push('It cannot charge.');
  if (!can.discharges && plan.some((s) => s.mode === 'discharge')) out.push('It cannot discharge.');
  if (plan.some((s) => s.mode === 'discharge' && (s.ohm ?? null) !== (can.ohm ?? null)))
    out.push(can.ohm ? 'It switches a resistor bank, and nothing else.' : 'It is no resistor bank.');
  const v = Math.max(...plan.map((s) => s.limits.mostV));
  if (v > can.mostV) out.push(`${v.toFixed(1)} V are needed, it gives ${can.mostV.toFixed(1)} V.`);
  const a = Math.max(...plan.map((s) => s.currentA));
  if (can.mostA !== null && a > can.mostA + 1e-9)
    out.push(`${a.toFixed(1)} A are needed, it gives ${can.mostA.toFixed(1)} A.`);
  return out;
}
