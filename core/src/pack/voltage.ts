import { chemistryName, factsOf } from './chemistry';
import { limitValue } from './limits';
import type { Pack, PackProfile } from './types';

/**
 * What a rested voltage says by itself, before anything is compared. In the order of volts:
 * impossible · reversed · dead · over-discharged · low · normal · high · over-charged · impossible.
 */
export const VOLTAGE_STATES = [
  'impossible',
  'reversed',
  'dead',
  'over-discharged',
  'low',
  'normal',
  'high',
  'over-charged',
] as const;
export type VoltageState = (typeof VOLTAGE_STATES)[number];

/** States in which something is wrong whatever the neighbours show. */
export const OUT_OF_BOUNDS: ReadonlySet<VoltageState> = new Set([
  'impossible',
  'reversed',
  'dead',
  'over-discharged',
  'over-charged',
]);

/** Something of a pack that has a voltage: a cell or group, a channel (block), a module, the whole pack. */
export type VoltagePlace =
  | { kind: 'group' }
  | { kind: 'channel'; index: number }
  | { kind: 'module'; index: number }
  /** All the channels that a sense board reports. */
  | { kind: 'board'; index: number }
  | { kind: 'pack' };

/** Cells in series at a place. */
export function cellsAt(pack: Pack, place: VoltagePlace): number {
  switch (place.kind) {
    case 'group':
      return 1;
    case 'channel':
      return pack.channels[place.index]!.cells;
    case 'module':
      return pack.modules[place.index]!.groupIndices.length;
    case 'board': {
      const own = new Set(pack.profile.boards?.[place.index]?.channels);
      return pack.channels.reduce((n, c) => n + (own.has(c.id) ? c.cells : 0), 0);
    }
    case 'pack':
      return pack.groups.length;
  }
}

/** Below this a cell is reversed, V: a meter's own zero error is less. From memory. */
const REVERSED_V = -0.05;
/** A reversed cell is driven no further below zero than this, V. From memory. */
const LEAST_V = -1.5;
/** No cell gives more than this above full, V; a faulty board may show more than a cell can give. From memory. */
const ABOVE_FULL_V = { meter: 0.8, board: 1.6 };

export interface VoltageJudged {
  state: VoltageState;
  cells: number;
  perCellV: number;
  /** One sentence for people; empty where nothing is to be said. */
  says: string;
}

/** Volts that a place can show at all: by a meter at the terminals, or as a board may report them. */
export function possibleV(
  profile: Pick<PackProfile, 'chemistry' | 'limits'>,
  cells: number,
  by: 'meter' | 'board' = 'meter',
): { leastV: number; mostV: number } {
  return {
    leastV: LEAST_V * cells,
    mostV:
      (Math.max(limitValue(profile, 'cellFullV'), factsOf(profile.chemistry).cell.fullV) + ABOVE_FULL_V[by]) *
      cells,
  };
}

/**
 * Judges a voltage of so many cells in series by the floor and ceiling of the pack (the maker's figures where the
 * profile has them). The one answer to "is this possible, dead, below the floor, full, too high here".
 */
export function judgeVoltage(
  profile: Pick<PackProfile, 'chemistry' | 'limits'>,
  cells: number,
  voltageV: number,
  by: 'meter' | 'board' = 'meter',
): VoltageJudged {
  const perCellV = voltageV / cells;
  const chemistry = chemistryName(profile.chemistry);
  const limit = (key: Parameters<typeof limitValue>[1]): number => limitValue(profile, key);
  const { leastV, mostV } = possibleV(profile, cells, by);
  const each = cells === 1 ? '' : ` (${perCellV.toFixed(2)} V a cell)`;
  const shown = `${voltageV.toFixed(voltageV > 100 ? 1 : 2)} V${each}`;
  const judged = (state: VoltageState, says: string): VoltageJudged => ({ state, cells, perCellV, says });
  if (!(voltageV >= leastV && voltageV <= mostV))
    return judged(
      'impossible',
      `${shown} is not possible for ${cells === 1 ? `one ${chemistry} cell` : `${cells} ${chemistry} cells in series`}: ${leastV.toFixed(1)} to ${mostV.toFixed(1)} V.`,
    );
  if (perCellV < REVERSED_V) return judged('reversed', `${shown}: reversed.`);
  if (perCellV < limit('cellScrapV'))
    return judged('dead', `${shown}: dead, below ${limit('cellScrapV')} V a cell. Scrap by default.`);
  if (perCellV < limit('cellFloorV'))
    return judged(
      'over-discharged',
      `${shown}: over-discharged, below the floor of ${limit('cellFloorV')} V a cell.`,
    );
  if (perCellV < limit('cellEmptyV'))
    return judged('low', `${shown}: below empty (${limit('cellEmptyV')} V a cell).`);
  if (perCellV > limit('cellMostV'))
    return judged('over-charged', `${shown}: over-charged, above ${limit('cellMostV')} V a cell.`);
  if (perCellV > limit('cellFullV'))
    return judged('high', `${shown}: above full (${limit('cellFullV')} V a cell).`);
  return judged('normal', '');
}

/** The same for a place of a pack. */
export const judgeAt = (pack: Pack, place: VoltagePlace, voltageV: number): VoltageJudged =>
  judgeVoltage(pack.profile, cellsAt(pack, place), voltageV);

/** Highest voltage in use of so many cells in series, V: all full. The one figure for gloves, tests and exposure. */
export const fullV = (profile: Pick<PackProfile, 'chemistry' | 'limits'>, cells: number): number =>
  cells * Math.max(limitValue(profile, 'cellFullV'), factsOf(profile.chemistry).cell.fullV);
