import type { LinkSpec, ModuleSpec, PackProfile, Place } from '@cellmend/core/pack';

const pad = (n: number, count: number): string => String(n).padStart(String(count).length, '0');

/** The topology as a few numbers: modules of so many groups, laid in tiers and columns; what the form edits. */
export interface Layout {
  /** Groups per module in string order, e.g. `12×6, 3×8, 4`. */
  sizes: string;
  /** Modules per tier, in string order, e.g. `12, 4`. */
  tiers: string;
  columns: number;
  /** Cells behind one sensed channel: 1 for lithium groups, 6 or 12 for NiMH blocks. */
  cellsPerChannel: number;
  disconnectAfter: number;
}

/** Reads `12×6, 3x8, 4` as 12 modules of 6, 3 of 8 and one of 4. Null if it cannot be read. */
export function parseSizes(text: string): number[] | null {
  const out: number[] = [];
  for (const part of text
    .split(/[,;]+/)
    .map((p) => p.trim())
    .filter(Boolean)) {
    const m = /^(?:(\d{1,3})\s*[x×*]\s*)?(\d{1,3})$/.exec(part);
    if (!m) return null;
    const times = Number(m[1] ?? 1);
    const size = Number(m[2]);
    if (times < 1 || size < 1 || out.length + times > 500) return null;
    for (let i = 0; i < times; i++) out.push(size);
  }
  return out.length > 0 ? out : null;
}

export const printSizes = (sizes: number[]): string => {
  const runs: [number, number][] = [];
  for (const s of sizes) {
    const last = runs[runs.length - 1];
    if (last && last[1] === s) last[0]++;
    else runs.push([1, s]);
  }
  return runs.map(([n, s]) => (n === 1 ? String(s) : `${n}×${s}`)).join(', ');
};

/** The layout numbers of a profile, as well as they can tell it. */
export function layoutOf(profile: PackProfile): Layout {
  const cells = new Map(profile.channels.map((c) => [c.id, c.cells]));
  const sizes = profile.modules.map(
    (m) => (m.groups?.length ?? 0) + (m.channels ?? []).reduce((n, c) => n + (cells.get(c) ?? 0), 0),
  );
  const tierOf = profile.modules.map((m) => m.place?.tier ?? 0);
  const tiers = Array.from(
    { length: Math.max(...tierOf) + 1 },
    (_, t) => tierOf.filter((x) => x === t).length,
  );
  const after = profile.links?.findIndex((l) => l.kind === 'service-disconnect') ?? -1;
  return {
    sizes: printSizes(sizes),
    tiers: tiers.join(', '),
    columns: Math.max(...profile.modules.map((m) => m.place?.column ?? 0)) + 1,
    cellsPerChannel: profile.channels[0]?.cells ?? 1,
    disconnectAfter: after + 1,
  };
}

/**
 * Builds channels, modules, places and links from the layout numbers. Names, masses, link kinds and access times of
 * what was there at the same place in the string stay, and so does everything else of the profile.
 * Columns are filled down one and back up the next, as a string is laid. Null if the numbers do not fit together.
 */
export function applyLayout(profile: PackProfile, layout: Layout): PackProfile | null {
  const sizes = parseSizes(layout.sizes);
  const tiers = parseSizes(layout.tiers);
  if (!sizes || !tiers || tiers.reduce((a, b) => a + b, 0) !== sizes.length || layout.columns < 1)
    return null;
  const total = sizes.reduce((a, b) => a + b, 0);
  const per = layout.cellsPerChannel;
  if (per < 1 || total % per !== 0) return null;
  const count = total / per;
  const named = profile.channels.length === count && profile.channels.every((c) => c.cells === per);
  const channels = named
    ? profile.channels
    : Array.from({ length: count }, (_, i) => ({
        id: `${per === 1 ? 'ch' : 'b'}${pad(i + 1, count)}`,
        cells: per,
      }));
  const kept = profile.modules.length === sizes.length ? profile.modules : [];
  let group = 0;
  const modules: ModuleSpec[] = [];
  const tierOf = tiers.flatMap((n, t) => Array.from({ length: n }, (_, k) => ({ t, k, n })));
  sizes.forEach((size, m) => {
    const { t, k, n } = tierOf[m]!;
    const rows = Math.ceil(n / layout.columns);
    const column = Math.floor(k / rows);
    const along = k % rows;
    const place: Place = { tier: t, row: column % 2 === 0 ? along : rows - 1 - along, column };
    const own = Array.from({ length: size }, () => group++);
    const spec: ModuleSpec = { id: kept[m]?.id ?? `M${pad(m + 1, Math.max(10, sizes.length))}`, place };
    if (per === 1) spec.channels = own.map((g) => channels[g]!.id);
    else spec.groups = own.map((g) => `${channels[Math.floor(g / per)]!.id}.${(g % per) + 1}`);
    const mass = profile.modules[m]?.massKg;
    if (mass !== undefined) spec.massKg = mass;
    modules.push(spec);
  });
  const links: LinkSpec[] = modules.slice(1).map((m, i) => {
    const old = kept.length > 0 ? profile.links?.[i] : undefined;
    const plain = old && old.kind !== 'service-disconnect' ? old.kind : 'busbar';
    return {
      id: old?.id ?? `L${i + 1}`,
      between: [modules[i]!.id, m.id],
      kind: i + 1 === layout.disconnectAfter ? 'service-disconnect' : plain,
      accessMin: old?.accessMin ?? 5,
      ...(old?.after ? { after: old.after } : {}),
    };
  });
  const names = tiers.map((_, t) => profile.tiers?.[t] ?? (tiers.length === 1 ? 'Modules' : `Tier ${t + 1}`));
  return { ...profile, channels, modules, links, tiers: names };
}

/** Reads an OCV table pasted as two columns: charge in per cent or as a fraction, volts per cell. Null if it cannot be read. */
export function parseOcv(text: string): [number, number][] | null {
  const rows = text
    .split(/\r?\n/)
    .map((l) => l.trim())
    .filter((l) => l !== '' && !/[a-z]{3}/i.test(l))
    .map((l) => (/[\t;]|\s\d/.test(l) ? l.split(/[\t;\s]+/) : l.split(',')))
    .map((cells) => cells.filter(Boolean).map((c) => Number(c.replace(/,$/, '').replace(',', '.'))));
  if (rows.length < 2 || rows.some((r) => r.length !== 2 || r.some((v) => !Number.isFinite(v)))) return null;
  const scale = Math.max(...rows.map((r) => r[0]!)) > 1.5 ? 100 : 1;
  return rows.map((r) => [r[0]! / scale, r[1]!] as [number, number]).sort((a, b) => a[0] - b[0]);
}
export const printOcv = (table: [number, number][]): string =>
  table.map(([s, v]) => `${+(s * 100).toFixed(2)} ${v}`).join('\n');

/** Splits `ch012` or `b01.7` into the part before its last number, the number and its width. */
function numbered(id: string): { stem: string; value: number; width: number } | null {
  const m = /^(.*?)(\d+)$/.exec(id);
  return m ? { stem: m[1]!, value: Number(m[2]), width: m[2]!.length } : null;
}

/** Prints ids with runs shortened: `ch001 to ch004, ch009`. */
export function printIds(ids: readonly string[]): string {
  const runs: [string, string][] = [];
  for (const id of ids) {
    const last = runs[runs.length - 1];
    const [a, b] = [last && numbered(last[1]), numbered(id)];
    if (last && a && b && a.stem === b.stem && b.value === a.value + 1) last[1] = id;
    else runs.push([id, id]);
  }
  return runs.map(([from, to]) => (from === to ? from : `${from} to ${to}`)).join(', ');
}

/** Reads what `printIds` prints, or any list with commas and `to`. Null if a run cannot be read. */
export function parseIds(text: string): string[] | null {
  const out: string[] = [];
  for (const part of text
    .split(/[,;]+/)
    .map((p) => p.trim())
    .filter(Boolean)) {
    const [from, to, ...more] = part.split(/\s+to\s+/);
    if (more.length > 0 || !from) return null;
    if (to === undefined) {
      out.push(from);
      continue;
    }
    const [a, b] = [numbered(from), numbered(to)];
    if (!a || !b || a.stem !== b.stem || b.value < a.value || b.value - a.value > 1000) return null;
    for (let v = a.value; v <= b.value; v++) out.push(`${a.stem}${String(v).padStart(a.width, '0')}`);
  }
  return out.length > 0 ? out : null;
}

/** Gives a module another name, in the links as well. */
export function renameModule(profile: PackProfile, index: number, id: string): PackProfile {
  const old = profile.modules[index]!.id;
  const swap = (name: string): string => (name === old ? id : name);
  return {
    ...profile,
    modules: profile.modules.map((m, i) => (i === index ? { ...m, id } : m)),
    links: profile.links?.map((l) => ({ ...l, between: [swap(l.between[0]), swap(l.between[1])] })),
    ...(profile.build
      ? {
          build: profile.build.map((p) => ({
            ...p,
            id: swap(p.id),
            ...(p.after ? { after: p.after.map((set) => set.map(swap)) } : {}),
            ...(p.over ? { over: p.over.map(swap) } : {}),
          })),
        }
      : {}),
  };
}

/** Fields of a profile as the page calls them. */
const FIELD_NAMES: Record<string, string> = {
  name: 'Name',
  chemistry: 'Chemistry',
  ratedCapacityAh: 'Rated, A·h',
  ratedRangeKm: 'Range, km',
  nominalGroupResistanceMilliohm: 'Channel when new, mΩ',
  bleederMilliamp: 'Bleeders, mA',
  moduleRevision: 'Revision or code',
  moduleLook: 'What a donor has to be alike in',
  channels: 'Channels',
  modules: 'Modules',
  links: 'Links',
  boards: 'Sense boards',
  ocv: 'Rest curve',
  limits: 'Limits',
  tiers: 'Tiers',
  sensors: 'Sensors',
};
/** `ratedCapacityAh` is the field “Rated, A·h”; `modules.3.place` is “Modules, number 4”. */
export function fieldName(where: string): string {
  const [first, at] = where.split('.');
  const name = FIELD_NAMES[first ?? ''] ?? where;
  return at !== undefined && /^\d+$/.test(at) ? `${name}, number ${Number(at) + 1}` : name;
}

/** What a part of the build comes after, as it is typed: `lid, rail or side-cover`. */
export const printAfter = (after: readonly (readonly string[])[] | undefined): string =>
  (after ?? [])
    .map((set) => set.join(', '))
    .filter(Boolean)
    .join(' or ');

/** Reads what {@link printAfter} prints; null where a part is named that the build does not have. */
export function parseAfter(text: string, known: readonly string[]): string[][] | null {
  if (text.trim() === '') return [];
  const byName = new Map(known.map((id) => [id.toLowerCase(), id]));
  const sets = text.split(/\s+or\s+/i).map((set) =>
    set
      .split(',')
      .map((id) => id.trim())
      .filter(Boolean)
      .map((id) => byName.get(id.toLowerCase())),
  );
  return sets.every((set) => set.length > 0 && set.every((id) => id !== undefined))
    ? (sets as string[][])
    : null;
}
