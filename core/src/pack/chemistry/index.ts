import { LFP } from './lfp';
import { LMO } from './lmo';
import { NCA } from './nca';
import { NIMH } from './nimh';
import { NMC } from './nmc';
import type { ChemistryFacts } from './facts';

/** Cell chemistries the shop sees, each with its one complete record. A new one is a file and a line here. */
export const CHEMISTRY = {
  nmc: NMC,
  nca: NCA,
  lmo: LMO,
  lfp: LFP,
  nimh: NIMH,
} as const satisfies Record<string, ChemistryFacts>;
export type Chemistry = keyof typeof CHEMISTRY;
export const CHEMISTRIES = Object.keys(CHEMISTRY) as [Chemistry, ...Chemistry[]];

/** What differs by chemistry. */
export const factsOf = (chemistry: Chemistry): ChemistryFacts => CHEMISTRY[chemistry];
export const chemistryName = (chemistry: Chemistry): string => CHEMISTRY[chemistry].name;

/** Default rest table of a chemistry, `[state of charge, volts per cell]`. */
export const defaultOcvTable = (chemistry: Chemistry): [number, number][] => factsOf(chemistry).ocv.table();

export type { CellLimits, ChemistryFacts, Scatter } from './facts';
export { chen2020NegativeV, chen2020OcvV, chen2020PositiveV } from './chen2020';
