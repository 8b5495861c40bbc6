import { abilities, isBenchDriver } from '@cellmend/contract/instrumentKinds';
import type { Instrument } from '@cellmend/contract/instruments';
import { cannotRun, planOf, recipesFor, type Recipe, type RecipeId } from '@cellmend/core/bench';
import type { PackProfile } from '@cellmend/core/pack';

/** What can be begun: a recipe on modules, one module into another, or the whole pack. */
export type Way = RecipeId | 'transfer';
export const runsModules = (i: Pick<Instrument, 'driver'>): boolean => isBenchDriver(i.driver);

/** What speaks against a recipe on an instrument; empty where nothing does. */
export function against(profile: PackProfile, id: RecipeId, cells: number, i: Instrument): string[] {
  const recipe = recipesFor(profile, i).find((r) => r.id === id);
  if (!recipe) return ['It is no resistor bank.'];
  return cannotRun(planOf(recipe, profile, cells), {
    ...abilities(i.kind),
    mostV: i.mostV,
    mostA: i.mostA,
    ohm: i.ohm,
  });
}

/** What a workshop with these instruments can begin, by name. */
export function waysOf(profile: PackProfile, bench: readonly Instrument[]): { id: Way; name: string }[] {
  const all = new Map<RecipeId, Recipe>();
  for (const i of [{ mostA: null, ohm: null }, ...bench])
    for (const r of recipesFor(profile, i)) all.set(r.id, r);
  const named = (on: Recipe['on']) =>
    [...all.values()].filter((r) => r.on === on).map(({ id, name }) => ({ id, name }));
  return [
    ...named('module'),
    { id: 'transfer', name: 'One module into another' },
    ...named('pack'),
    ...named('elsewhere'),
  ];
}

/** Which place goes onto which channel, in the order they were pressed. */
export interface Onto {
  place: string;
  recipe: RecipeId;
  instrument: Instrument;
}
/** @param places pressed so far; of a transfer the first gives and the second takes. */
export function ontoChannels(
  way: Way,
  places: readonly string[],
  able: (id: RecipeId) => Instrument[],
): Onto[] {
  if (way === 'wake')
    return able('wake')
      .slice(0, 1)
      .map((instrument) => ({ place: '', recipe: 'wake', instrument }));
  if (way !== 'transfer')
    return able(way)
      .slice(0, places.length)
      .map((instrument, k) => ({ place: places[k]!, recipe: way, instrument }));
  const gives = able('give')[0];
  const takes = able('take').find((i) => i.id !== gives?.id);
  const pairs: [string | undefined, RecipeId, Instrument | undefined][] = [
    [places[0], 'give', gives],
    [places[1], 'take', takes],
  ];
  return pairs.flatMap(([place, recipe, instrument]) =>
    place && instrument ? [{ place, recipe, instrument }] : [],
  );
}
/** How many places can be pressed. */
export const mostPlaces = (way: Way, able: (id: RecipeId) => Instrument[]): number => {
  if (way === 'wake') return 0;
  if (way !== 'transfer') return able(way).length;
  return ontoChannels('transfer', ['a', 'b'], able).length;
};
