import type { LinkSpec, Pack } from '../pack';
import { CLASS_B_V } from './voltageClass';

/** A part of the string between opened links. */
export interface Section {
  /** Module indices in string order. */
  modules: number[];
  voltageV: number;
}

/** The string with some links open: which parts there are and what each still holds. */
export interface Exposure {
  sections: Section[];
  /** Highest voltage left in any part. */
  worstV: number;
}

export interface CutStep {
  linkId: string;
  kind: LinkSpec['kind'];
  accessMin: number;
  /** Highest voltage in any part after this link is out. */
  worstV: number;
}

export interface CutPlan {
  before: Exposure;
  steps: CutStep[];
  after: Exposure;
  /** Modules that alone hold more than the limit: no link helps there. */
  tooHigh: string[];
  minutes: number;
}

/** Minutes to open a link that the profile says nothing of. Common practice, no source. */
const USUAL_ACCESS_MIN = 6;

/** Links between modules that follow each other, by position in the string; null where the profile has none. */
export function linksInOrder(pack: Pack): (LinkSpec | null)[] {
  const { stringOrder, modules, profile } = pack;
  return stringOrder.slice(1).map((m, i) => {
    const a = modules[stringOrder[i]!]!.id;
    const b = modules[m]!.id;
    return (
      profile.links?.find(
        (l) => (l.between[0] === a && l.between[1] === b) || (l.between[0] === b && l.between[1] === a),
      ) ?? null
    );
  });
}

/** @param moduleV voltage of each module, by module index. @param open ids of links that are out. */
export function exposure(pack: Pack, moduleV: readonly number[], open: ReadonlySet<string>): Exposure {
  const links = linksInOrder(pack);
  const sections: Section[] = [{ modules: [], voltageV: 0 }];
  pack.stringOrder.forEach((m, i) => {
    const link = i > 0 ? links[i - 1] : null;
    if (link && open.has(link.id)) sections.push({ modules: [], voltageV: 0 });
    const last = sections[sections.length - 1]!;
    last.modules.push(m);
    last.voltageV += moduleV[m]!;
  });
  return { sections, worstV: Math.max(...sections.map((s) => s.voltageV)) };
}

/**
 * Fewest further links to pull so that no part of the string holds more than the limit; among equal counts the ones
 * that take least time to reach. Exact, by dynamic programming along the string. Links that can be reached only
 * after others bring those along. The service disconnect always comes first; then each step is the one that lowers
 * the highest remaining voltage most.
 */
export function planCuts(
  pack: Pack,
  moduleV: readonly number[],
  open: ReadonlySet<string> = new Set(),
  limitV = CLASS_B_V,
): CutPlan {
  const links = linksInOrder(pack);
  const { stringOrder } = pack;
  const n = stringOrder.length;
  const volts = stringOrder.map((m) => moduleV[m]!);
  const tooHigh = stringOrder.filter((m) => moduleV[m]! > limitV).map((m) => pack.modules[m]!.id);
  const access = (l: LinkSpec): number => l.accessMin ?? USUAL_ACCESS_MIN;
  const cost = (i: number): number | null => {
    const link = links[i];
    return !link ? null : open.has(link.id) ? 0 : 1000 + access(link);
  };
  // best[i]: least cost of cutting the first i modules into good parts, the cut after module i−1 included.
  const best = new Array<number>(n + 1).fill(Infinity);
  const from = new Array<number>(n + 1).fill(-1);
  best[0] = 0;
  for (let end = 1; end <= n; end++) {
    let sum = 0;
    for (let start = end - 1; start >= 0; start--) {
      sum += volts[start]!;
      const alone = end - start === 1;
      // A module too high by itself cannot be helped; a part that no link can divide is taken as it is.
      const undivided = alone || links.slice(start, end - 1).every((l) => l === null);
      if (sum > limitV && !undivided) break;
      const cut = end === n ? 0 : cost(end - 1);
      if (cut === null) continue;
      if (best[start]! + cut < best[end]!) {
        best[end] = best[start]! + cut;
        from[end] = start;
      }
    }
  }
  const chosen = new Set<string>();
  for (let at = n; at > 0; at = from[at]!) {
    const start = from[at]!;
    if (start > 0) chosen.add(links[start - 1]!.id);
  }
  const byId = new Map((pack.profile.links ?? []).map((l) => [l.id, l]));
  const service = links.find((l) => l?.kind === 'service-disconnect');
  if (service && !open.has(service.id)) chosen.add(service.id);
  const addNeeded = (id: string): void => {
    for (const needed of byId.get(id)?.after ?? [])
      if (!chosen.has(needed) && !open.has(needed) && byId.has(needed)) {
        chosen.add(needed);
        addNeeded(needed);
      }
  };
  for (const id of [...chosen]) addNeeded(id);
  const before = exposure(pack, moduleV, open);
  const out = new Set(open);
  const steps: CutStep[] = [];
  const left = new Set([...chosen].filter((id) => !open.has(id)));
  while (left.size > 0) {
    const ready = [...left].filter((id) =>
      (byId.get(id)!.after ?? []).every((a) => out.has(a) || !byId.has(a)),
    );
    const ranked = (ready.length > 0 ? ready : [...left])
      .map((id) => {
        const e = exposure(pack, moduleV, new Set([...out, id]));
        // The same highest voltage twice: the rest decides.
        const sorted = e.sections.map((s) => s.voltageV).sort((a, b) => b - a);
        return { id, worstV: e.worstV, spread: sorted.reduce((s, v) => s + v * v, 0) };
      })
      .sort((a, b) => {
        const service = (id: string): number => (byId.get(id)!.kind === 'service-disconnect' ? 0 : 1);
        return (
          service(a.id) - service(b.id) ||
          a.worstV - b.worstV ||
          a.spread - b.spread ||
          access(byId.get(a.id)!) - access(byId.get(b.id)!)
        );
      });
    const next = ranked[0]!;
    const link = byId.get(next.id)!;
    left.delete(next.id);
    out.add(next.id);
    steps.push({ linkId: link.id, kind: link.kind, accessMin: access(link), worstV: next.worstV });
  }
  return {
    before,
    steps,
    after: exposure(pack, moduleV, out),
    tooHigh,
    minutes: steps.reduce((s, c) => s + c.accessMin, 0),
  };
}
