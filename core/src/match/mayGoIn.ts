import { chemistryName, judgeVoltage, OUT_OF_BOUNDS, type Chemistry, type Pack } from '../pack';
import { compatible, type Compatibility, type DonorLook, type ModuleLook } from './compatible';

/** Least insulation of a part that goes into a pack, Ω. Common practice of the trade, no source. */
export const LEAST_INSULATION_OHM = 20e6;

/** What is known of a module that somebody wants to put in. */
export interface Newcomer extends DonorLook {
  chemistry?: Chemistry | undefined;
  groupCount?: number | undefined;
  revision?: string | undefined;
  /** Rested voltage of the whole module, V. */
  restVoltageV?: number | null | undefined;
}
/** What a place of a pack asks of a module. */
export interface PlaceNeed {
  chemistry: Chemistry;
  groupCount: number;
  revision?: string | undefined;
  /** How the pack's own modules look. */
  look?: ModuleLook | undefined;
}

/** What a module place of a pack asks for; null where the place is none, such as a board. */
export function needAt(pack: Pack, place: string): PlaceNeed | null {
  const module = pack.modules.find((m) => m.id === place);
  const { chemistry, moduleRevision, moduleLook } = pack.profile;
  return module
    ? { chemistry, groupCount: module.groupIndices.length, revision: moduleRevision, look: moduleLook }
    : null;
}

/**
 * Whether a module may go in at a place of a pack: judged here once, for who chooses a donor and for who puts it in. What cannot lie
 * there is refused; what is not like the pack's own, or not known well enough to tell, goes in only where somebody answers for it.
 * @example
 * mayGoIn({ chemistry: 'nmc', groupCount: 4, history: 'clean' }, { chemistry: 'nmc', groupCount: 2 }).cannot // ['4 groups, 2 are needed']
 */
export function mayGoIn(donor: Newcomer, need: PlaceNeed): Compatibility {
  const look = compatible(donor, need.look ?? {});
  const cannot: string[] = [];
  const deviates: string[] = [];
  if (donor.chemistry === undefined) deviates.push('its chemistry is not known');
  else if (donor.chemistry !== need.chemistry)
    cannot.push(`${chemistryName(donor.chemistry)}, the pack is ${chemistryName(need.chemistry)}`);
  if (donor.groupCount === undefined) deviates.push('how many groups it has is not known');
  else if (donor.groupCount !== need.groupCount)
    cannot.push(`${donor.groupCount} groups, ${need.groupCount} are needed`);
  if (donor.insulationOhm != null && donor.insulationOhm < LEAST_INSULATION_OHM)
    cannot.push(`insulation only ${(donor.insulationOhm / 1e6).toFixed(1)} MΩ`);
  if (donor.restVoltageV != null && donor.chemistry !== undefined && donor.groupCount !== undefined) {
    const judged = judgeVoltage({ chemistry: donor.chemistry }, donor.groupCount, donor.restVoltageV);
    if (OUT_OF_BOUNDS.has(judged.state)) cannot.push(judged.says.replace(/\.$/, ''));
  }
  if (donor.revision && need.revision && donor.revision !== need.revision)
    deviates.push(`revision ${donor.revision}, the pack has ${need.revision}`);
  const all = { cannot: [...cannot, ...look.cannot], deviates: [...deviates, ...look.deviates] };
  return { ...all, obstacles: [...all.cannot, ...all.deviates], asks: look.asks };
}
