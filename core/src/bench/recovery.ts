import { factsOf, InputProblem, limitValue, type PackProfile } from '../pack';
import type { Recipe } from './recipes';

/** What is known of an over-discharged module before anybody tries. Null: nobody knows. */
export interface RecoveryAsk {
  restV: number;
  cells: number;
  emptyDays: number | null;
  ageYears: number | null;
  swollen: boolean | null;
  /** Smell, wetness, rust at a vent. */
  leaked: boolean | null;
  outdoors: boolean;
  somebodyStays: boolean;
}
/** Emptied longer ago than this, copper has had time to dissolve. From memory. */
const EMPTY_MOST_DAYS = 14;
const OLD_YEARS = 10;

/**
 * Whether an over-discharged lithium module may be tried at all. What is not known counts as a no; scrap is the usual answer.
 * Floors: `numbers.md`, 2.0 V warn, below 1.5 V scrap.
 */
export function mayRecover(profile: PackProfile, ask: RecoveryAsk): { may: boolean; against: string[] } {
  const against: string[] = [];
  const perCell = ask.restV / ask.cells;
  const scrapV = limitValue(profile, 'cellScrapV');
  if (profile.chemistry === 'nimh') against.push('NiMH is not revived like this: run a slow balance.');
  if (!(perCell >= scrapV))
    against.push(
      `${perCell.toFixed(2)} V a cell is below ${scrapV.toFixed(1)} V: copper has dissolved. Scrap.`,
    );
  if (ask.emptyDays === null) against.push('Nobody knows how long it was empty.');
  else if (ask.emptyDays > EMPTY_MOST_DAYS) against.push(`Empty for ${ask.emptyDays} days: too long.`);
  if (ask.ageYears === null) against.push('Its age is not known.');
  else if (ask.ageYears > OLD_YEARS) against.push(`${ask.ageYears} years old: not worth the risk.`);
  if (ask.swollen !== false) against.push(ask.swollen ? 'It is swollen.' : 'Not looked at for swelling.');
  if (ask.leaked !== false) against.push(ask.leaked ? 'It leaks.' : 'Not looked at for leaks.');
  if (!ask.outdoors) against.push('It has to lie outdoors, away from everything.');
  if (!ask.somebodyStays) against.push('Somebody has to stay with it all the time.');
  return { may: against.length === 0, against };
}

/** A voltage at rest that an ordinary charge may begin at. @throws InputProblem below the chemistry's floor */
export function mustNotBeDead(profile: PackProfile, recipe: Recipe, restV: number, cells: number): void {
  if (recipe.id === 'recover') return;
  const floorV = limitValue(profile, 'cellFloorV') * cells;
  if (restV < floorV)
    throw new InputProblem(
      'too-low',
      `It rests at ${restV.toFixed(2)} V, below the ${floorV.toFixed(2)} V of the floor for ${factsOf(profile.chemistry).name}: no ordinary run begins there.`,
      recipe.name,
      profile.chemistry === 'nimh'
        ? 'A slow charge by hand, watched; or scrap it.'
        : 'Scrap is the usual answer; a supervised recovery asks what speaks against it.',
    );
}

/** A recovery that somebody tended by hand and wrote down. */
export interface TendedRecovery extends RecoveryAsk {
  /** At its end, V; what was put in, A·h; warmest, °C; null where nobody noted it. */
  endV: number | null;
  putInAh: number | null;
  hottestC: number | null;
}
/**
 * What a recovery by hand says: by the questions that are asked before one is supervised, by the limits of its recipe, and by where it
 * came to. It passes as one that was supervised would: nothing spoke against it, it stayed within its limits and came up above the floor.
 * Whether it holds after is another test.
 */
export function judgeTendedRecovery(
  profile: PackProfile,
  recipe: Recipe,
  run: TendedRecovery,
): { passed: boolean; says: string[] } {
  const { against } = mayRecover(profile, run);
  const { limits } = recipe.steps.find((s) => s.currentA < 0)!;
  const crossed: string[] = [];
  if (run.hottestC === null) crossed.push('How warm it got was not noted.');
  else if (run.hottestC > limits.mostC)
    crossed.push(`${run.hottestC} °C is above the ${limits.mostC} °C it may reach.`);
  if (run.putInAh !== null && limits.mostAh !== undefined && run.putInAh > limits.mostAh)
    crossed.push(
      `${run.putInAh} A·h is more than the ${limits.mostAh.toFixed(1)} A·h that a recovery puts in.`,
    );
  const upV = limitValue(profile, 'cellEmptyV') * run.cells;
  const up = run.endV !== null && run.endV >= upV;
  return {
    passed: against.length === 0 && crossed.length === 0 && up,
    says: [
      ...(run.putInAh === null ? [] : [`${run.putInAh} A·h were put in.`]),
      ...(against.length > 0 ? [`What spoke against it: ${against.join(' ')}`] : []),
      ...crossed,
      up
        ? `It came up to ${run.endV!.toFixed(2)} V.`
        : `It did not come up to the ${upV.toFixed(1)} V at which an ordinary charge begins.`,
    ],
  };
}
