import type { ChemistryFacts } from './facts';
import { chen2020Table } from './chen2020';
import { LITHIUM } from './lithium';

export const LMO: ChemistryFacts = {
  ...LITHIUM,
  name: 'LMO',
  // Some packs show up to 4.3 V. Common practice, no source; the floors are from memory (copper dissolution).
  cell: {
    emptyV: 2.8,
    fullV: 4.2,
    nominalV: 3.75,
    floorV: 2.0,
    scrapV: 1.5,
    mostV: 4.3,
    source: 'common practice',
  },
  ocv: { table: chen2020Table, source: 'Chen et al. 2020 (NMC811) in place of a table of its own' },
};
