import { factsOf, type Pack } from '../pack';
import { CLASS_B_V } from './voltageClass';

/** What a unit came in with. They combine: a crash-locked pack may have stood in water as well. */
export const HAZARDS = ['crash', 'flood', 'under-voltage', 'hot'] as const;
export type Hazard = (typeof HAZARDS)[number];
export const HAZARD_NAMES: Record<Hazard, string> = {
  crash: 'After a crash, crash-locked',
  flood: 'Stood in water or was jet-washed',
  'under-voltage': 'Asleep or locked for under-voltage',
  hot: 'Hot, hissing, swollen or smoking before',
};

/** Signs at intake and what they mean for whoever goes near. */
const FROM_SIGNS: Record<string, Hazard> = {
  crash: 'crash',
  'flood or jet-wash': 'flood',
  'stood for months': 'under-voltage',
  'will not wake': 'under-voltage',
  'temperature warning': 'hot',
};

/** Hazards that intake's history selects by itself; `lowestCellV` is what a scan or meter showed. */
export function hazardsFrom(signs: readonly string[], overDischarged = false): Hazard[] {
  const found = new Set<Hazard>(signs.flatMap((s) => (FROM_SIGNS[s] ? [FROM_SIGNS[s]] : [])));
  // Asleep after a crash is the crash lock; asleep alone may be the 12 V battery: only standing makes it under-voltage.
  if (!signs.includes('stood for months') && !overDischarged) found.delete('under-voltage');
  if (overDischarged) found.add('under-voltage');
  return HAZARDS.filter((h) => found.has(h));
}

/** How a pack that may still catch fire is watched: a temperature every so often, for at least so long. */
export interface WatchPlan {
  everyMin: number;
  leastHours: number;
  why: string;
}
/** Common practice or from memory; the maker's and the fire service's rules win. */
const WATCH: Partial<Record<Hazard, WatchPlan>> = {
  hot: { everyMin: 15, leastHours: 1, why: 'a cell that was hot can go on' },
  crash: { everyMin: 60, leastHours: 24, why: 'a crushed cell can catch fire hours later' },
  flood: { everyMin: 60, leastHours: 72, why: 'fire after water comes hours to days later' },
};

/** The watch that a set of hazards asks for together: the shortest interval, the longest time. */
export function watchPlan(hazards: readonly Hazard[]): WatchPlan | null {
  const plans = hazards.flatMap((h) => WATCH[h] ?? []);
  if (plans.length === 0) return null;
  return {
    everyMin: Math.min(...plans.map((p) => p.everyMin)),
    leastHours: Math.max(...plans.map((p) => p.leastHours)),
    why: plans.map((p) => p.why).join('; '),
  };
}

/** What is dangerous about this pack as it is, in short lines. */
export function hazardLines(pack: Pack, packV: number, hazards: readonly Hazard[]): string[] {
  const facts = factsOf(pack.profile.chemistry).hazards;
  const lines: string[] = [];
  if (packV > CLASS_B_V)
    lines.push(
      `Up to ${Math.round(packV)} V DC. Each half stays live after the disconnect is out, and every module always is.`,
    );
  else
    lines.push(
      `Up to ${Math.round(packV)} V: safe to touch when dry, never dead. A short circuit burns, welds and throws metal.`,
    );
  const { busCapacitanceF } = pack.profile;
  if (busCapacitanceF)
    lines.push(`The bus capacitors hold up to ${Math.round(0.5 * busCapacitanceF * packV * packV)} J.`);
  lines.push(facts.electrolyte);
  const mass = pack.modules.reduce((s, m) => s + (m.massKg ?? 0), 0);
  if (mass > 40) lines.push(`Modules alone weigh ${Math.round(mass)} kg: table or lift under it.`);
  if (hazards.includes('flood')) lines.push(facts.flood);
  if (hazards.includes('crash'))
    lines.push(
      'After a crash: hidden damage, a fired pyro fuse, a cell that goes on hours later. Outdoors first.',
    );
  if (hazards.includes('hot'))
    lines.push('It was hot or venting: toxic, flammable gas may be inside. Upwind, air, nobody alone.');
  if (hazards.includes('under-voltage')) lines.push(facts.overDischarged);
  const plan = watchPlan(hazards);
  if (plan)
    lines.push(
      `Thermal watch: a temperature every ${plan.everyMin} min for at least ${plan.leastHours} h, because ${plan.why}.`,
    );
  return lines;
}
