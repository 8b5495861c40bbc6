import type { BuildPart, LinkSpec, Pack } from '../pack';
import { linksInOrder } from '../safety';

/** Minutes where nobody has said or logged better. Common practice, no source. */
const USUAL_MIN = { lid: 15, 'sense-plug': 2, bracket: 9, link: 6, module: 5 } as const;
export const LID = 'lid';
export const SENSE_PLUG = 'sense-plug';
const bracketOf = (tier: number): string => `bracket-${tier + 1}`;

/** Modules whose place lies over this one's, tier upon tier. */
const above = (pack: Pack, module: number): number[] => {
  const { place } = pack.modules[module]!;
  return pack.modules
    .filter((m) => m.place.tier > place.tier && m.place.row === place.row && m.place.column === place.column)
    .map((m) => m.index);
};

/**
 * How a pack comes apart by its topology alone, so that a new profile has a usable plan at once: the lid, then the
 * management plug, then links (the service disconnect before all), then the bracket of an upper tier, then modules, each after
 * the links at both its ends and what lies over it. What a profile says itself replaces all of it.
 */
export function defaultBuild(pack: Pack): BuildPart[] {
  const links = linksInOrder(pack);
  const known = links.filter((l): l is LinkSpec => l !== null);
  const service = known.filter((l) => l.kind === 'service-disconnect').map((l) => l.id);
  const tiers = [...new Set(pack.modules.map((m) => m.place.tier))].filter((t) => t > 0);
  const inTier = (t: number): number[] => pack.modules.filter((m) => m.place.tier === t).map((m) => m.index);
  const endsOf = new Map<number, string[]>(pack.modules.map((m) => [m.index, []]));
  pack.stringOrder.slice(1).forEach((m, i) => {
    const link = links[i];
    if (!link) return;
    endsOf.get(m)!.push(link.id);
    endsOf.get(pack.stringOrder[i]!)!.push(link.id);
  });
  return [
    {
      id: LID,
      kind: 'lid',
      name: 'Lid',
      minutes: USUAL_MIN.lid,
      tool: 'lid tool',
      after: [service],
      over: pack.modules.map((m) => m.id),
      singleUse: ['lid seal'],
      caution: 'Clean it before it is opened.',
    },
    {
      id: SENSE_PLUG,
      kind: 'sense-plug',
      name: 'Management plug',
      minutes: USUAL_MIN['sense-plug'],
      after: [[LID]],
    },
    ...known.map((l): BuildPart => {
      const first = l.kind === 'service-disconnect';
      return {
        id: l.id,
        kind: 'link',
        name: `${first ? 'Service disconnect' : l.kind === 'cable' ? 'Cable' : 'Bus-bar'} ${l.id}`,
        minutes: l.accessMin ?? USUAL_MIN.link,
        ...(first ? {} : { tool: 'insulated tool' }),
        after: [first ? [] : [LID, SENSE_PLUG, ...service, ...(l.after ?? [])]],
        ...(first ? {} : { caution: 'Cap both ends before the next tool is picked up.' }),
      };
    }),
    ...tiers.map((t): BuildPart => ({
      id: bracketOf(t),
      kind: 'bracket',
      name: `Bracket of ${pack.tiers[t] ?? `tier ${t + 1}`}`,
      minutes: USUAL_MIN.bracket,
      tool: 'fixing tool',
      over: inTier(t).map((m) => pack.modules[m]!.id),
      after: [
        [
          LID,
          SENSE_PLUG,
          ...inTier(t)
            .flatMap((m) => above(pack, m))
            .map((m) => pack.modules[m]!.id),
        ],
      ],
    })),
    ...pack.modules.map((m): BuildPart => ({
      id: m.id,
      kind: 'module',
      minutes: USUAL_MIN.module,
      tool: 'fixing tool',
      ...(m.massKg === undefined ? {} : { massKg: m.massKg }),
      after: [
        [
          LID,
          SENSE_PLUG,
          ...endsOf.get(m.index)!,
          ...(m.place.tier > 0 ? [bracketOf(m.place.tier)] : []),
          ...above(pack, m.index).map((a) => pack.modules[a]!.id),
        ],
      ],
    })),
  ];
}

/**
 * How the pack comes apart: as its profile says, or by its topology. A link that the profile's own build leaves out is there all
 * the same: without it no plan could bring the string below 60 V.
 */
export function buildOf(pack: Pack): { parts: BuildPart[]; told: boolean } {
  const { build } = pack.profile;
  if (!build || build.length === 0) return { parts: defaultBuild(pack), told: false };
  const named = new Set(build.map((p) => p.id));
  return {
    parts: [...build, ...defaultBuild(pack).filter((p) => p.kind === 'link' && !named.has(p.id))],
    told: true,
  };
}

/** Stages of a connector that nobody has confirmed yet, in their order: one that is pushed in halfway burns. */
export const stagesOpen = (part: Pick<BuildPart, 'stages'>, confirmed: readonly string[]): string[] =>
  (part.stages ?? []).filter((s) => !confirmed.includes(s));

/** What a part is called on a page. */
export const partName = (p: Pick<BuildPart, 'id' | 'name' | 'kind'>): string =>
  p.name ?? (p.kind === 'module' ? p.id : p.id.replaceAll('-', ' '));
