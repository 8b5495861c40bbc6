import type { EntrySpec, Pack } from '../pack';
import type { Seen } from './causes';

/** Mud outside on the case, where so many modules lie behind it. */
export interface OutsideDirt {
  modules: string[];
  /** How thick; 0 is clean. */
  mudMm: number;
}
/** A bay of the case with what lies on it outside, and what was seen of the module behind it. */
export interface OutsideBay {
  module: string;
  mudMm: number;
  /** Null where nobody looked at the module. */
  wet: boolean | null;
}
export interface OutsideReport {
  bays: OutsideBay[];
  /** Wet modules against mud; empty where wet and dry bays are not both on record. */
  says: string;
}

/** A way in with mud within so many places of it counts as under it. */
const NEAR = 1.5;
/** Where it is clean outside, water came less likely by; each so many mm make it likelier, up to a most. From memory. */
const CLEAN = 0.6;
const MM_EACH = 10;
const MOST = 3;
/** Mud is thicker over wet modules where it is by this much. From memory. */
const THICKER_MM = 3;

/** Mud by module, as it was told last, mm. */
export function mudNow(told: readonly OutsideDirt[]): Map<string, number> {
  const now = new Map<string, number>();
  for (const { modules, mudMm } of told) for (const m of modules) now.set(m, mudMm);
  return now;
}

/** How thick the mud is at a way in: the thickest of the bays beside it, mm; null where nobody measured one. */
export function mudAt(
  pack: Pack,
  mud: ReadonlyMap<string, number>,
  place: EntrySpec['place'] | null,
): number | null {
  if (place === null) return null;
  const near = pack.modules.flatMap((m) =>
    mud.has(m.id) && Math.hypot(m.place.row - place.row, m.place.column - place.column) < NEAR
      ? [mud.get(m.id)!]
      : [],
  );
  return near.length > 0 ? Math.max(...near) : null;
}

/** How much likelier a way in with so much mud about it has let water in than one where nobody looked: mud holds water against a seal. */
export const mudWeight = (mm: number | null): number =>
  mm === null ? 1 : Math.min(MOST, CLEAN + mm / MM_EACH);

/** Mud outside laid over the bays: bay by bay beside what was seen inside. Null where no mud is told. */
export function outsideOver(
  pack: Pack,
  mud: ReadonlyMap<string, number>,
  isWet: (seen: Seen) => boolean,
  seen: readonly Seen[],
): OutsideReport | null {
  if (mud.size === 0) return null;
  const bays = pack.modules.flatMap((m): OutsideBay[] => {
    if (!mud.has(m.id)) return [];
    const here = seen.filter((s) => s.moduleIndex === m.index);
    return [{ module: m.id, mudMm: mud.get(m.id)!, wet: here.length === 0 ? null : here.some(isWet) }];
  });
  const mean = (wet: boolean): number | null => {
    const of = bays.filter((b) => b.wet === wet);
    return of.length > 0 ? of.reduce((s, b) => s + b.mudMm, 0) / of.length : null;
  };
  const [wet, dry] = [mean(true), mean(false)];
  if (wet === null || dry === null) return { bays, says: '' };
  const figures = `${wet.toFixed(0)} mm of mud outside over the wet modules, ${dry.toFixed(0)} mm over the dry ones`;
  return {
    bays,
    says:
      wet - dry >= THICKER_MM
        ? `${figures}: look at the ways in under the thick of it first.`
        : `${figures}: the mud does not tell where it came in.`,
  };
}
