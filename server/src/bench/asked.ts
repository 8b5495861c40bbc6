import { beginControl, type ControlState, type PlanStep, type RecipeId } from '@cellmend/core/bench';
import type { InstrumentRunRow } from '../db/rows';
import type { Store } from '../domain/store';

/** What was asked of a supervised run, kept with it. */
export interface Asked {
  place: string;
  recipe: RecipeId;
  name: string;
  version: number;
  cells: number;
  plan: PlanStep[];
  /** Of a transfer: the key of the run of the other module. */
  partner?: string;
}
export const askedOf = (row: InstrumentRunRow): Asked => row.parameters as unknown as Asked;
export const isSupervised = (row: InstrumentRunRow): boolean => Array.isArray(row.parameters.plan);

/** The runs that one goes on from, oldest first, with itself. */
export async function chainOf(store: Store, row: InstrumentRunRow): Promise<InstrumentRunRow[]> {
  const chain = [row];
  while (chain[0]!.continues)
    chain.unshift((await store.models.InstrumentRun.findByPk(chain[0]!.continues))!);
  return chain;
}

/** It came through its plan, also where a process was killed before it had said so. */
export const isThrough = (row: InstrumentRunRow): boolean =>
  row.state === 'done' || stateOf(row).step >= askedOf(row).plan.length;
export const stateOf = (row: InstrumentRunRow): ControlState => row.control ?? beginControl();
