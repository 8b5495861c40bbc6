import { factsOf, type Chemistry } from './chemistry';

/** Where a figure comes from: published, common practice, from memory, or the maker's own. */
export type LimitMark = 'P' | 'T' | 'M' | 'maker';

/** A limit as it counts for one pack. */
export interface Limit {
  value: number;
  unit: string;
  source: string;
  mark: LimitMark;
}

interface LimitKind {
  name: string;
  unit: string;
  /** What may be typed. */
  least: number;
  most: number;
  /** The figure that counts until the maker's is known; null where none is usual. */
  usual: (profile: { chemistry: Chemistry }) => Omit<Limit, 'unit'> | null;
}

type CellKey = 'floorV' | 'scrapV' | 'emptyV' | 'fullV' | 'mostV';
const cell =
  (key: CellKey): LimitKind['usual'] =>
  ({ chemistry }) => {
    const { cell: c } = factsOf(chemistry);
    return { value: c[key], source: c.source, mark: key === 'floorV' || key === 'scrapV' ? 'M' : 'T' };
  };
const usual =
  (value: number, mark: 'T' | 'M' | 'P', source: string): LimitKind['usual'] =>
  () => ({ value, mark, source });
const none = (): null => null;
const PRACTICE = 'common practice';

/** Every limit that a computation asks for, with its unit. A maker's figure in the profile wins over the usual one. */
export const LIMITS = {
  cellFloorV: { name: 'Cell, over-discharge floor', unit: 'V', least: 0, most: 5, usual: cell('floorV') },
  cellScrapV: { name: 'Cell, scrap below', unit: 'V', least: 0, most: 5, usual: cell('scrapV') },
  cellEmptyV: { name: 'Cell, empty', unit: 'V', least: 0, most: 5, usual: cell('emptyV') },
  cellFullV: { name: 'Cell, full', unit: 'V', least: 0.5, most: 6, usual: cell('fullV') },
  cellMostV: { name: 'Cell, over-charged above', unit: 'V', least: 0.5, most: 6, usual: cell('mostV') },
  chargeMostA: { name: 'Charge current, most', unit: 'A', least: 0.01, most: 5000, usual: none },
  dischargeMostA: { name: 'Discharge current, most', unit: 'A', least: 0.01, most: 5000, usual: none },
  deltaFullMv: {
    name: 'Delta near full, most',
    unit: 'mV',
    least: 1,
    most: 2000,
    usual: usual(45, 'T', PRACTICE),
  },
  deltaEmptyMv: {
    name: 'Delta near empty, most',
    unit: 'mV',
    least: 1,
    most: 3000,
    usual: usual(100, 'T', PRACTICE),
  },
  driveBlockingMv: {
    name: 'Delta at which the vehicle will not drive',
    unit: 'mV',
    least: 10,
    most: 5000,
    usual: usual(200, 'T', PRACTICE),
  },
  blockSpreadLoadV: { name: 'Block spread under load, most', unit: 'V', least: 0.01, most: 10, usual: none },
  temperatureMostC: {
    name: 'Cell temperature, most',
    unit: '°C',
    least: 20,
    most: 120,
    usual: usual(45, 'T', PRACTICE),
  },
  vehicleWarnOhm: {
    name: 'Vehicle warns below',
    unit: 'Ω',
    least: 1,
    most: 1e13,
    usual: usual(195e3, 'T', PRACTICE),
  },
  vehicleStopOhm: {
    name: 'No start below',
    unit: 'Ω',
    least: 1,
    most: 1e13,
    usual: usual(50e3, 'T', PRACTICE),
  },
  signalGoodV: {
    name: 'Test signal when good',
    unit: 'V',
    least: 0.01,
    most: 100,
    usual: usual(4.35, 'T', PRACTICE),
  },
  signalFaultV: {
    name: 'Test signal, fault below',
    unit: 'V',
    least: 0.01,
    most: 100,
    usual: usual(2.5, 'T', PRACTICE),
  },
  moduleInsulationOhm: {
    name: 'Module insulation, least',
    unit: 'Ω',
    least: 1,
    most: 1e13,
    usual: usual(20e6, 'T', PRACTICE),
  },
  testVoltageMostV: {
    name: 'Insulation test voltage, most',
    unit: 'V',
    least: 50,
    most: 5000,
    usual: usual(1000, 'T', PRACTICE),
  },
  busbarTorqueNm: { name: 'Bus-bar bolt torque', unit: 'N·m', least: 0.1, most: 500, usual: none },
} as const satisfies Record<string, LimitKind>;
export type LimitKey = keyof typeof LIMITS;
export const LIMIT_KEYS = Object.keys(LIMITS) as [LimitKey, ...LimitKey[]];

/** A limit that a profile carries; `other` is a note of the maker's that nothing is computed from. */
export interface LimitSpec {
  key: LimitKey | 'other';
  /** Only of `other`: what it limits. */
  name?: string | undefined;
  value: number;
  unit: string;
  source: string;
  mark: LimitMark;
}

interface Limited {
  chemistry: Chemistry;
  limits?: LimitSpec[] | undefined;
}

/** The limit that counts: the profile's own, else the usual one of its chemistry; null where nobody knows one. */
export function limitOf(profile: Limited, key: LimitKey): Limit | null {
  const own = profile.limits?.find((l) => l.key === key);
  if (own) return { value: own.value, unit: LIMITS[key].unit, source: own.source, mark: own.mark };
  const kind: LimitKind = LIMITS[key];
  const found = kind.usual(profile);
  return found && { ...found, unit: kind.unit };
}

/** The same as a number, for limits that always have a usual figure. */
export const limitValue = (
  profile: Limited,
  key:
    | 'cellFloorV'
    | 'cellScrapV'
    | 'cellEmptyV'
    | 'cellFullV'
    | 'cellMostV'
    | 'deltaFullMv'
    | 'deltaEmptyMv'
    | 'driveBlockingMv'
    | 'temperatureMostC'
    | 'vehicleWarnOhm'
    | 'vehicleStopOhm'
    | 'signalGoodV'
    | 'signalFaultV'
    | 'moduleInsulationOhm'
    | 'testVoltageMostV',
): number => limitOf(profile, key)!.value;

/** A profile with one limit set, or taken out where the value is undefined. */
export function withLimit<T extends Limited>(profile: T, key: LimitKey, value: number | undefined): T {
  const others = (profile.limits ?? []).filter((l) => l.key !== key);
  const set: LimitSpec[] =
    value === undefined
      ? others
      : [...others, { key, value, unit: LIMITS[key].unit, source: 'the maker', mark: 'maker' }];
  return { ...profile, limits: set };
}
