import { LIMITS, type LimitKey } from './limits';

/** What earlier versions called limits, by the words people wrote. */
const NAMES: [RegExp, LimitKey][] = [
  [/(group|cell) voltage, highest/i, 'cellFullV'],
  [/(group|cell) voltage, lowest/i, 'cellEmptyV'],
  [/block spread under load/i, 'blockSpreadLoadV'],
  [/module insulation, least/i, 'moduleInsulationOhm'],
];
const INSULATION: Record<string, LimitKey> = {
  vehicleWarnOhm: 'vehicleWarnOhm',
  vehicleStopOhm: 'vehicleStopOhm',
  signalGoodV: 'signalGoodV',
  signalFaultV: 'signalFaultV',
  moduleLeastOhm: 'moduleInsulationOhm',
  testVoltageMostV: 'testVoltageMostV',
};

const isRecord = (v: unknown): v is Record<string, unknown> =>
  typeof v === 'object' && v !== null && !Array.isArray(v);

/**
 * A profile of an earlier version in today's form: limits that had only a name get their key, the maker's insulation
 * figures become limits. Anything else is left as it is, for the schema to judge.
 */
export function modernProfile(input: unknown): unknown {
  if (!isRecord(input)) return input;
  const { insulation, ...rest } = input;
  const limits: unknown[] = Array.isArray(input.limits) ? [...(input.limits as unknown[])] : [];
  let changed = false;
  limits.forEach((l, i) => {
    if (!isRecord(l) || typeof l.key === 'string' || typeof l.name !== 'string') return;
    changed = true;
    const key = NAMES.find(([words]) => words.test(l.name as string))?.[1];
    limits[i] = key && l.unit === LIMITS[key].unit ? { ...l, key, name: undefined } : { ...l, key: 'other' };
  });
  if (!isRecord(insulation)) return changed ? { ...input, limits } : input;
  for (const [name, key] of Object.entries(INSULATION)) {
    const value = insulation[name];
    if (typeof value !== 'number') continue;
    const at = limits.findIndex((l) => isRecord(l) && l.key === key);
    const spec = { key, value, unit: LIMITS[key].unit, source: 'the maker', mark: 'maker' };
    if (at >= 0) limits[at] = spec;
    else limits.push(spec);
  }
  return {
    ...rest,
    ...(limits.length > 0 ? { limits } : {}),
    ...(insulation.acConnected === true ? { acConnected: true } : {}),
  };
}
