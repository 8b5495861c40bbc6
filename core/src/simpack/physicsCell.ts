import { nickelCapacity, nickelVoltage, wornNickel, type NickelCell } from './nickel';
import { aged, capacityOf, inNegativeAt, particleVoltage, restV, type ParticleCell } from './particle';

/** What was driven: moments, and the current that flows to each from the one before, A, positive on discharge. */
export interface Course {
  timeS: Float64Array;
  currentA: Float64Array;
  /** The moments at which one channel is read, where that is not all of them. */
  read?: Int32Array;
}

/** What stands behind one channel of the physics world: a cell, or several alike in series. */
export interface PhysicsCell {
  capacityAh: number;
  /** Voltage at its terminals through a course, V, from a state at rest. */
  volts(course: Course, belowFullAh: number, temperatureC: number, leakA: number): Float64Array;
  /** The same with other resistance: of what answers at once, and of its electrodes. */
  resisting(ohmicBy: number, slowBy: number): PhysicsCell;
  /** How healthy ones differ in what they are: one standard deviation in a unit, and the cell that has one unit more. */
  differs: () => { sd: number; unit: number; cell: PhysicsCell }[];
  /** The ways in which capacity is lost, as shares of what is lost. */
  lost: ((share: number) => PhysicsCell)[];
  /** Capacity lost in a proportion of its own, 0 to 1: the curve changes with it. */
  worn(loss: number, share: number, rest: number): PhysicsCell;
}

/** A lithium cell of two particles. */
export const lithiumCell = (c: ParticleCell): PhysicsCell => ({
  capacityAh: capacityOf(c),
  volts: ({ timeS, currentA }, belowFullAh, temperatureC, leakA) =>
    particleVoltage(c, inNegativeAt(c, c.fullV) - belowFullAh, timeS, currentA, temperatureC, leakA),
  resisting: (ohmicBy, slowBy) =>
    lithiumCell({ ...c, ohmicOhm: c.ohmicOhm * ohmicBy, exchangeA: c.exchangeA / slowBy }),
  differs: () => [
    { sd: 0.006, unit: 0.01, cell: lithiumCell(aged(c, 0.01, 0, 0)) },
    { sd: 0.008, unit: 0.01, cell: lithiumCell(aged(c, 0, 0.01, 0.005)) },
  ],
  lost: [
    (l) => lithiumCell(aged(c, l, 0, 0)),
    (l) => lithiumCell(aged(c, 0, l, 0)),
    (l) => lithiumCell(aged(c, 0, 0, l)),
    (l) => lithiumCell(aged(c, l * 0.5, l * 0.5, l * 0.25)),
  ],
  // Lost lithium and lost material.
  worn: (loss, share, rest) =>
    lithiumCell(aged(c, loss * share, loss * (1 - share), loss * (1 - share) * rest)),
});

/**
 * Nickel–metal hydride cells in series, alike.
 * @param branch where their voltage comes from at the start: −1 after a discharge, 1 after a charge
 */
export const nickelCells = (c: NickelCell, cells: number, branch: number): PhysicsCell => {
  const of = (part: Partial<NickelCell>): PhysicsCell => nickelCells({ ...c, ...part }, cells, branch);
  return {
    capacityAh: nickelCapacity(c),
    volts: ({ timeS, currentA }, belowFullAh, temperatureC, leakA) =>
      nickelVoltage(c, belowFullAh, branch, timeS, currentA, temperatureC, leakA).map((v) => v * cells),
    resisting: (ohmicBy, slowBy) => of({ ohmicOhm: c.ohmicOhm * ohmicBy, exchangeA: c.exchangeA / slowBy }),
    differs: () => [
      { sd: 0.022, unit: 0.01, cell: nickelCells(wornNickel(c, 0.01, 0), cells, branch) },
      { sd: 0.02, unit: 0.01, cell: nickelCells(wornNickel(c, 0, 0.01), cells, branch) },
      { sd: 0.04, unit: 0.05, cell: of({ branchV: c.branchV * 1.05 }) },
    ],
    lost: [
      (l) => nickelCells(wornNickel(c, l, 0), cells, branch),
      (l) => nickelCells(wornNickel(c, 0, l), cells, branch),
      (l) => nickelCells(wornNickel(c, l, l / 2), cells, branch),
    ],
    worn: (loss, share, rest) => nickelCells(wornNickel(c, loss, loss * share * rest), cells, branch),
  };
};

/** The rest curve of a lithium cell as a workshop has it: discharged in twenty hours, a point every few per cent, to a millivolt. */
export function lithiumTable(cell: ParticleCell, stepPercent: number): [number, number][] {
  const capacity = capacityOf(cell);
  const full = inNegativeAt(cell, cell.fullV);
  const sag = (capacity / 20) * cell.ohmicOhm + 0.004;
  const table: [number, number][] = [];
  for (let percent = 0; percent <= 100; percent += stepPercent) {
    const v = restV(cell, full - capacity * (1 - percent / 100)) - sag;
    table.push([percent / 100, Math.round(v * 1000) / 1000]);
  }
  return table;
}

/**
 * That of a nickel cell, run as a workshop runs it: charged, then discharged in twenty hours. So it is the lower branch but for its upper
 * end, and of a pack that comes from a charge it is too low.
 */
export function nickelTable(cell: NickelCell, stepPercent: number): [number, number][] {
  const capacity = nickelCapacity(cell);
  const rows = 1200;
  const timeS = Float64Array.from({ length: rows + 1 }, (_, k) => (k * 20 * 3600) / rows);
  const v = nickelVoltage(cell, 0, 1, timeS, new Float64Array(rows + 1).fill(capacity / 20), 25);
  const table: [number, number][] = [];
  for (let percent = 0; percent <= 100; percent += stepPercent) {
    const at = Math.round((1 - percent / 100) * rows);
    table.push([percent / 100, Math.round(v[at]! * 1000) / 1000]);
  }
  return table;
}
