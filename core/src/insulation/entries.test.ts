import { describe, expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack, type EntrySpec } from '../pack';
import { Random } from '../simpack';
import type { Seen } from './causes';
import { ENTRY_ADVICE, rankEntries } from './entries';
import { mudNow, outsideOver } from './outside';

const profile = pilotCar();
const pack = normalisePack(profile);
const at = (id: string): number => pack.modules.find((m) => m.id === id)!.index;
const wet = (...ids: string[]): Seen[] => ids.map((m) => ({ moduleIndex: at(m), evidence: 'water line' }));
const dry = (...ids: string[]): Seen[] => ids.map((m) => ({ moduleIndex: at(m), evidence: 'clean and dry' }));

describe('where it came in', () => {
  it('is the entry that the hit modules lie round; clean ones beside another speak against it', () => {
    const front = rankEntries([...wet('M01', 'M02'), ...dry('M05', 'M06', 'M07')], pack, 'water')!;
    expect(front.rows[0]!.entry.id).toMatch(/^V1/);
    expect(front.rows[0]!.because.join()).toMatch(/M01, M02 near it are hit/);
    const rear = rankEntries([...wet('M07', 'M08'), ...dry('M01', 'M12')], pack, 'water')!;
    expect(rear.rows[0]!.entry.id).toMatch(/^V2/);
    const total = rear.rows.reduce((s, r) => s + r.share, rear.elsewhere);
    expect(total).toBeGreaterThan(0.97);
    expect(total).toBeLessThanOrEqual(1 + 1e-9);
    // Hit everywhere is no pattern: what is known of the entries explains none of it.
    const all = rankEntries(wet(...pack.modules.map((m) => m.id)), pack, 'water')!;
    expect(all.elsewhere).toBeGreaterThan(0.5);
  });

  it('is likelier where mud lies outside, and the mud is laid over the bays', () => {
    const seen = [...wet('M01'), ...dry('M05', 'M06')];
    const mud = mudNow([
      { modules: ['M01', 'M02'], mudMm: 4 },
      { modules: ['M01', 'M02', 'M03'], mudMm: 18 },
      { modules: ['M05', 'M06'], mudMm: 0 },
    ]);
    const without = rankEntries(seen, pack, 'water')!.rows[0]!;
    const muddy = rankEntries(seen, pack, 'water', [], mud)!.rows[0]!;
    expect(muddy.entry.id).toBe(without.entry.id);
    expect(muddy.share).toBeGreaterThan(without.share);
    expect(muddy.because.join()).toMatch(/18 mm of mud outside by it/);
    // What comes from inside has nothing to do with it.
    expect(rankEntries(seen, pack, 'electrolyte', [], mud)).toEqual(rankEntries(seen, pack, 'electrolyte'));
    const over = outsideOver(pack, mud, (s) => s.evidence === 'water line', seen)!;
    expect(over.bays.find((b) => b.module === 'M01')).toEqual({ module: 'M01', mudMm: 18, wet: true });
    expect(over.bays.find((b) => b.module === 'M03')).toMatchObject({ wet: null });
    expect(over.says).toMatch(/^18 mm of mud outside over the wet modules, 0 mm over the dry ones/);
    expect(outsideOver(pack, new Map(), () => true, seen)).toBeNull();
  });

  it('is not asked for without a hit, without entries, or for what comes from inside', () => {
    expect(rankEntries(dry('M01'), pack, 'water')).toBeNull();
    expect(rankEntries(wet('M01'), normalisePack({ ...profile, entries: [] }), 'water')).toBeNull();
    const inside = rankEntries([{ moduleIndex: 0, evidence: 'swollen or wet pouch' }], pack, 'electrolyte')!;
    expect(inside).toMatchObject({ rows: [], elsewhere: 1 });
  });

  // The same model drawn forwards many times: of the worlds that look as this one does, the share that began at each entry.
  it('is what drawing worlds forwards and keeping those that look alike gives', () => {
    const entries: EntrySpec[] = profile.entries!;
    const lets: Record<string, number> = { valve: 3, bolt: 2, cover: 2, connector: 1.5 };
    const weights = [...entries.map((e) => lets[e.kind]!), 1];
    const sum = weights.reduce((a, b) => a + b, 0);
    const looked = ['M01', 'M02', 'M03', 'M06', 'M12'].map(at);
    const seen = [...wet('M01', 'M02'), ...dry('M03', 'M06', 'M12')];
    const r = new Random(5);
    const counts = weights.map(() => 0);
    let alike = 0;
    for (let i = 0; i < 400_000; i++) {
      let u = r.uniform(0, sum);
      const from = weights.findIndex((w) => (u -= w) < 0);
      const e = entries[from];
      const same = looked.every((m, k) => {
        const { place } = pack.modules[m]!;
        const chance = e
          ? 0.03 +
            0.87 *
              Math.exp(-((Math.hypot(place.row - e.place.row, place.column - e.place.column) / 1.3) ** 2))
          : 0.3;
        return r.uniform(0, 1) < chance === k < 2;
      });
      if (!same) continue;
      alike++;
      counts[from]!++;
    }
    const found = rankEntries(seen, pack, 'water')!;
    expect(alike).toBeGreaterThan(3000);
    entries.forEach((e, k) => {
      const share = found.rows.find((x) => x.entry.id === e.id)?.share ?? 0;
      expect(share, e.id).toBeCloseTo(counts[k]! / alike, 1.6);
    });
    expect(found.elsewhere).toBeCloseTo(counts.at(-1)! / alike, 1.6);
  });

  it('has a check and a prevention for each way in', () => {
    for (const { check, prevent } of Object.values(ENTRY_ADVICE)) {
      expect(check).toMatch(/\.$/);
      expect(prevent).toMatch(/\.$/);
    }
  });
});
