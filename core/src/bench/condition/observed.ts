import { analyseRun } from '../run';
import { emptyAtCutOff, flowedAh, PLATEAU_V, REVERSED_V, type StickEvent } from './stick';

/** What an event says of the cells beyond what flowed. */
export interface Observed {
  event: StickEvent;
  ah: number;
  /** Of a discharge with its course: where cells ran empty, A·h. */
  dropoutsAh: number[];
  /** So many cells were empty at its end; null where the discharge ended before any was. */
  emptyAtEnd: number | null;
  /** Cells that give nothing, by the voltage at the end of a charge or of a rest; null where no voltage was logged. */
  missingCells: { value: number; sd: number } | null;
}

/** What a cell shows at the end of a charge, and at rest, V, and how far that is off by charge and warmth. From memory. */
const CHARGED_V = 1.45;
const CHARGED_SD_V = 0.06;
const REST_V = 1.28;
const REST_SD_V = 0.06;
/** A discharge that ends above this, V a cell, ended before its cut-off. From memory. */
const NOT_EMPTY_V = 1.1;
/** A course with fewer voltages shows no knee. */
const LEAST_POINTS = 8;

export function observedOf(event: StickEvent, cells: number): Observed {
  const ah = flowedAh(event);
  const v = event.voltageV ?? [];
  const last = v.at(-1);
  const none = { event, ah, dropoutsAh: [], emptyAtEnd: null, missingCells: null };
  if (event.kind === 'discharge') {
    const early = last !== undefined && last / cells > NOT_EMPTY_V;
    return {
      ...none,
      dropoutsAh: dropoutsOf(event, cells),
      emptyAtEnd: early
        ? null
        : last === undefined
          ? emptyAtCutOff(cells)
          : Math.max(1, Math.min(cells, Math.round((cells * PLATEAU_V - last) / (PLATEAU_V - REVERSED_V)))),
    };
  }
  if (last === undefined) return none;
  const [each, sd] = event.kind === 'charge' ? [CHARGED_V, CHARGED_SD_V] : [REST_V, REST_SD_V];
  return { ...none, missingCells: { value: cells - last / each, sd: (sd / each) * cells } };
}

function dropoutsOf(event: StickEvent, cells: number): number[] {
  const { voltageV, timeH } = event;
  if (!voltageV || !timeH || voltageV.length !== timeH.length || timeH.length < LEAST_POINTS) return [];
  const amps = flowedAh(event) / event.hours;
  return analyseRun({
    chemistry: 'nimh',
    cellsInSeries: cells,
    cutoffV: 0.01,
    timeS: timeH.map((h) => 3600 * h),
    currentA: timeH.map(() => amps),
    voltageV,
  }).dropoutsAh;
}
