import type { Pack } from '@cellmend/core/pack';

/** How one group slice or module is shown: value on a diverging scale, and marks with a shape of their own. */
export interface GroupMark {
  /** −1 (low) … 0 … +1 (high); null = not measured (dotted). */
  scale: number | null;
  unknown?: boolean;
}
export interface ModuleMark {
  state: 'plain' | 'suspect' | 'condemned' | 'replaced';
  /** A few words at the module, on layers that speak of whole modules. */
  text?: string;
  /** A share shown as a bar, 0 to 1. */
  share?: number;
  tone?: 'plain' | 'hot' | 'clean' | 'open';
  /** On the bench: it runs, or was interrupted and waits. */
  at?: 'work' | 'waits';
}
export interface Cover {
  name: string;
  modules: readonly number[];
  /** Which step takes it off; null where none does. */
  step: number | null;
  off: boolean;
}
export interface Layer {
  id: string;
  name: string;
  caption: string;
  groups: Map<number, GroupMark>;
  modules: Map<number, ModuleMark>;
  legend: { low: string; high: string } | null;
  /** The layer speaks of whole modules: no slices for groups. */
  whole?: boolean;
  /** Links to be marked: pulled next, and out already. */
  links?: { next: readonly string[]; out: readonly string[] };
  /** Parts that lie over modules: what they are, where, and in which step they come off. */
  covers?: readonly Cover[];
  /** What the layer says below the map. */
  note?: { title: string; text: string };
}

export interface Box {
  module: number;
  x: number;
  y: number;
  w: number;
  h: number;
}
export interface Drawing {
  boxes: Box[];
  titles: { text: string; y: number }[];
  path: string;
  ends: { negative: [number, number]; positive: [number, number] };
  disconnects: { x: number; y: number }[];
  /** Middle of every link and whether it lies between rows or between columns. */
  links: { id: string; x: number; y: number; across: boolean }[];
  width: number;
  height: number;
}

const GAP = 7;
const TITLE = 20;

/** Lays the modules out as they lie in the vehicle, tier by tier, front at the top. */
export function drawPack(pack: Pack, width = 340, most = 570): Drawing {
  const tiers = pack.tiers.map((name, t) => {
    const own = pack.modules.filter((m) => m.place.tier === t);
    return {
      name,
      own,
      rows: Math.max(0, ...own.map((m) => m.place.row)) + 1,
      columns: Math.max(0, ...own.map((m) => m.place.column)) + 1,
    };
  });
  const rows = tiers.reduce((n, t) => n + t.rows, 0);
  const slim = Math.max(...tiers.map((t) => t.columns)) > 4;
  const h = Math.max(20, Math.min(slim ? 150 : 58, (most - tiers.length * (TITLE + 8) - rows * GAP) / rows));
  const boxes: Box[] = [];
  const titles: Drawing['titles'] = [];
  let y = 4;
  for (const tier of tiers) {
    titles.push({ text: tier.name, y: y + 12 });
    y += TITLE;
    const w = (width - (tier.columns - 1) * GAP) / tier.columns;
    for (const m of tier.own)
      boxes.push({ module: m.index, x: m.place.column * (w + GAP), y: y + m.place.row * (h + GAP), w, h });
    y += tier.rows * (h + GAP) + 8;
  }
  const centre = (index: number): [number, number] => {
    const b = boxes.find((k) => k.module === index)!;
    return [b.x + b.w / 2, b.y + b.h / 2];
  };
  const points = pack.stringOrder.map(centre);
  const tierOf = (i: number): number => pack.modules[pack.stringOrder[i]!]!.place.tier;
  const sameTier = (i: number): boolean => tierOf(i) === tierOf(i - 1);
  const disconnects = (pack.profile.links ?? [])
    .filter((l) => l.kind === 'service-disconnect')
    .flatMap((l) => {
      const [a, b] = l.between.map((id) => pack.modules.find((m) => m.id === id));
      if (!a || !b) return [];
      const [ax, ay] = centre(a.index);
      const [bx, by] = centre(b.index);
      // Between tiers there is no gap to draw it in: it sits on the edge of the module before it.
      if (a.place.tier !== b.place.tier) return [{ x: ax, y: ay - h / 2 }];
      return [{ x: (ax + bx) / 2, y: (ay + by) / 2 }];
    });
  const links = (pack.profile.links ?? []).flatMap((l) => {
    const [a, b] = l.between.map((id) => pack.modules.find((m) => m.id === id));
    if (!a || !b) return [];
    const [ax, ay] = centre(a.index);
    const [bx, by] = centre(b.index);
    return a.place.tier === b.place.tier
      ? [{ id: l.id, x: (ax + bx) / 2, y: (ay + by) / 2, across: Math.abs(ax - bx) > Math.abs(ay - by) }]
      : [{ id: l.id, x: ax, y: ay - h / 2, across: false }];
  });
  return {
    links,
    boxes,
    titles,
    path: points.map(([px, py], i) => `${i > 0 && sameTier(i) ? 'L' : 'M'}${px} ${py}`).join(''),
    ends: { negative: points[0]!, positive: points[points.length - 1]! },
    disconnects,
    width,
    height: y,
  };
}

/** How far outlines of parts lie outside what they cover, and from each other. */
const OUTSIDE = 3;

/** Where a part that is still on lies in each tier, one outline for all that lie alike, with the steps that take them off. */
export function coverBoxes(
  drawing: Drawing,
  pack: Pack,
  covers: readonly Cover[],
): { steps: string; outer: boolean; x: number; y: number; w: number; h: number }[] {
  const on = covers.filter((c) => !c.off && c.modules.length > 0);
  const sizes = [...new Set(on.map((c) => c.modules.length))].sort((a, b) => a - b);
  const alike = new Map<
    string,
    { steps: number[]; outer: boolean; x: number; y: number; w: number; h: number }
  >();
  for (const cover of on) {
    // What covers more lies further out.
    const outer = sizes.indexOf(cover.modules.length) > 0;
    const out = outer ? 2 * OUTSIDE : OUTSIDE;
    pack.tiers.forEach((_, tier) => {
      const own = drawing.boxes.filter(
        (b) => cover.modules.includes(b.module) && pack.modules[b.module]!.place.tier === tier,
      );
      if (own.length === 0) return;
      const x = Math.min(...own.map((b) => b.x)) - out;
      const y = Math.min(...own.map((b) => b.y)) - out;
      const w = Math.max(...own.map((b) => b.x + b.w)) + out - x;
      const h = Math.max(...own.map((b) => b.y + b.h)) + out - y;
      const key = [x, y, w, h].join();
      const box = alike.get(key) ?? { steps: [], outer, x, y, w, h };
      if (cover.step !== null) box.steps.push(cover.step);
      alike.set(key, box);
    });
  }
  return [...alike.values()].map((b) => ({ ...b, steps: b.steps.sort((p, q) => p - q).join(', ') }));
}

/** The next module in a direction on the drawing, for the arrow keys. */
export function neighbour(
  drawing: Drawing,
  from: number,
  key: 'ArrowUp' | 'ArrowDown' | 'ArrowLeft' | 'ArrowRight',
): number {
  const here = drawing.boxes.find((b) => b.module === from)!;
  const vertical = key === 'ArrowUp' || key === 'ArrowDown';
  const sign = key === 'ArrowUp' || key === 'ArrowLeft' ? -1 : 1;
  const ahead = drawing.boxes.filter((b) =>
    vertical
      ? (b.y - here.y) * sign > 1 && Math.abs(b.x - here.x) < here.w
      : (b.x - here.x) * sign > 1 && Math.abs(b.y - here.y) < here.h,
  );
  ahead.sort((a, b) =>
    vertical
      ? Math.abs(a.y - here.y) - Math.abs(b.y - here.y) || Math.abs(a.x - here.x) - Math.abs(b.x - here.x)
      : Math.abs(a.x - here.x) - Math.abs(b.x - here.x),
  );
  return ahead[0]?.module ?? from;
}
