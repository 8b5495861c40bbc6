import { LIMITS } from './limits';
import type { PackProfile } from './types';

/**
 * What of a profile keeps people safe, each as text that is equal exactly when the fact is: voltage, capacitors, links,
 * insulation, limits. Whoever changes one of these signs for it, and gates opened by the old figures close.
 */
export function safetyFactsOf(profile: PackProfile): Record<string, string> {
  const text = (v: unknown): string => JSON.stringify(v ?? null);
  const limits = [...(profile.limits ?? [])]
    .map((l) => [l.key === 'other' ? (l.name ?? '') : LIMITS[l.key].name, l.value])
    .sort();
  return {
    chemistry: profile.chemistry,
    'cells in series': text(profile.channels.map((c) => c.cells)),
    modules: text(profile.modules.map((m) => [m.id, m.channels ?? [], m.groups ?? []])),
    'bus capacitors': text(profile.busCapacitanceF),
    'their bleeder': text(profile.busBleederOhm),
    'pre-charge': text(profile.preChargeOhm),
    links: text((profile.links ?? []).map((l) => [l.id, l.between, l.kind, l.after ?? []])),
    limits: text(limits),
    'AC side': text(profile.acConnected === true),
  };
}
