/** Voltage limits of one cell. A maker's own figure in the pack profile always wins over these. */
export interface CellLimits {
  /** A discharge ends here. */
  emptyV: number;
  /** A charge ends here. */
  fullV: number;
  nominalV: number;
  /** Below this a cell has been over-discharged. */
  floorV: number;
  /** Below this no recovery is tried: scrap. */
  scrapV: number;
  /** Above this a cell is over-charged. */
  mostV: number;
  source: string;
}

/** How much healthy channels differ, one standard deviation. */
export interface Scatter {
  socFraction: number;
  capacity: number;
  resistance: number;
  /** Excess of the slow resistance over what the ohmic excess lets expect. */
  slow: number;
  leakPerDay: number;
  offsetV: number;
  /** Lithium lost beyond what the others have lost, share of capacity. */
  slip: number;
  /** How much sooner than the others' the negative electrode runs empty, as a share. */
  stretch: number;
  /** How far the curves of healthy cells lie apart in shape at one charge, V a cell. */
  shapeV: number;
}

/**
 * Everything that differs by chemistry, in one place: whoever adds a chemistry writes one of these, and the compiler
 * asks for each line of it. Figures are common practice without a source, or from memory where they say so.
 */
export interface ChemistryFacts {
  /** As people write it. */
  name: string;
  cell: CellLimits;
  /** `[state of charge, volts per cell]` at rest, and where it comes from. A pack profile carries its own table. */
  ocv: { table: () => [number, number][]; source: string };
  /** The rest curve is flat in the middle: volts tell the charge only at its ends, which are said so. */
  flat: { nearFull: string; nearEmpty: string } | null;
  /** Where the rest voltage remembers whether charge flowed in or out: half the gap between the two, V a cell, and how soon a turn of the current crosses it (e-folds for all of the charge; what is tried). Null where it does not show. */
  hysteresis: { halfV: { value: number; sd: number }; turns: number[] } | null;
  /** Resolution the vehicle usually reports for one channel, V, and the noise of one reading, V. */
  sensorStepV: number;
  noiseV: number;
  healthy: Scatter;
  /** Differences below these are no fault, however certain: what they cost is less than a mended pack differs by. */
  matters: { socFraction: number; capacity: number; resistance: number };
  /** Self-discharge of a healthy cell, share a day, its scatter from pack to pack, and the most that is still healthy beyond the others. */
  leak: { perDay: number; perDaySd: number; healthyMostPerDay: number };
  /** What a pack in a workshop may be expected to hold, as a share of its rating. A prior: never shown as measured. */
  expectedHealth: { value: number; sd: number };
  /** A meter at the terminals and a board that tells the truth: usual difference (one sd) and the most that still agrees, mV a channel. */
  meter: { agreeMv: number; apartMv: number };
  /** How far an explanation may lie from healthy (one sd): offset of a reading, V; extra drain, share a day. */
  faults: { offsetV: number; leakPerDay: number };
  /** Gain in chi-square above which a channel counts as odd: at rest, and in a record with load. */
  detect: { rest: number; load: number };
  hazards: {
    electrolyte: string;
    overDischarged: string;
    overCharged: string;
    flood: string;
  };
  /** Conditioning by cycles can bring back unbalanced strings of this chemistry. */
  conditioning: boolean;
}
