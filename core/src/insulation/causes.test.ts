import { describe, expect, it } from 'vitest';
import { islandBus, pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack, type Pack } from '../pack';
import { Random } from '../simpack';
import { CAUSE_ADVICE, EVIDENCE, EVIDENCE_NAMES, LEAK_CAUSES, leakCauses, type Seen } from './causes';

const car = normalisePack(pilotCar());
const bus = normalisePack(islandBus());
const random = new Random(77);
const pick = (n: number): number => Math.floor(random.uniform() * n);
const someSeen = (pack: Pack): Seen[] =>
  Array.from({ length: 1 + pick(6) }, () => ({
    moduleIndex: pick(pack.modules.length),
    evidence: EVIDENCE_NAMES[pick(EVIDENCE_NAMES.length)]!,
  }));

/** Modules of a pack whose place fulfils a condition. */
const where = (pack: Pack, of: (place: Pack['modules'][number]['place']) => boolean): number[] =>
  pack.modules.flatMap((m, i) => (of(m.place) ? [i] : []));

describe('the causes of a leak', () => {
  it('share out to one, best first, whatever was seen and in whatever order', () => {
    for (const pack of [car, bus])
      for (let k = 0; k < 200; k++) {
        const seen = someSeen(pack);
        const { causes, entry } = leakCauses(seen, pack);
        const total = causes.reduce((s, c) => s + c.share, 0);
        if (seen.every((s) => s.evidence === 'clean and dry')) expect(causes).toEqual([]);
        else expect(total).toBeCloseTo(1, 12);
        for (let i = 1; i < causes.length; i++)
          expect(causes[i - 1]!.share).toBeGreaterThanOrEqual(causes[i]!.share);
        const turned = leakCauses([...seen].reverse(), pack);
        const asMap = (c: typeof causes): Map<string, number> =>
          new Map(c.map((x) => [x.cause, Number(x.share.toFixed(12))]));
        expect(asMap(turned.causes)).toEqual(asMap(causes));
        if (causes.length === 0) expect(entry).toBeNull();
      }
  });

  it('name the finding behind each, with its place', () => {
    for (const evidence of EVIDENCE_NAMES) {
      const { causes } = leakCauses([{ moduleIndex: 0, evidence }], car);
      expect(causes.map((c) => c.cause).sort()).toEqual(Object.keys(EVIDENCE[evidence]).sort());
      for (const c of causes) expect(c.because).toEqual([`${evidence} at ${car.modules[0]!.id}`]);
    }
  });

  it('can each be pointed at by something, and each has its advice against a return', () => {
    const pointed = new Set(Object.values(EVIDENCE).flatMap((e) => Object.keys(e)));
    expect([...pointed].sort()).toEqual([...LEAK_CAUSES].sort());
    for (const cause of LEAK_CAUSES) expect(CAUSE_ADVICE[cause].length).toBeGreaterThan(30);
  });

  it('more of the same makes a cause likelier, never less likely', () => {
    for (let k = 0; k < 100; k++) {
      const seen = someSeen(car);
      const { causes } = leakCauses(seen, car);
      const before = causes.find((c) => c.cause === 'water')?.share ?? 0;
      const after = leakCauses([...seen, { moduleIndex: pick(12), evidence: 'water line' }], car);
      expect(after.causes.find((c) => c.cause === 'water')!.share).toBeGreaterThanOrEqual(before);
    }
  });
});

describe('where it came in', () => {
  const wet = (modules: number[]): Seen[] =>
    modules.map((moduleIndex) => ({ moduleIndex, evidence: 'water line' }));
  const lastRow = Math.max(...car.modules.map((m) => m.place.row));
  const ends: [string, number[], RegExp][] = [
    ['front', where(car, (p) => p.row === 0), /at the front end/],
    ['rear', where(car, (p) => p.row === lastRow), /at the rear end/],
    ['left', where(car, (p) => p.column === 0), /on the left/],
    ['right', where(car, (p) => p.column === 1), /on the right/],
  ];
  it.each(ends)('is told at the %s, by damage that lies together', (_name, modules, words) => {
    const { entry } = leakCauses(wet(modules), car);
    expect(entry).toMatch(words);
    for (const m of modules) expect(entry).toContain(car.modules[m]!.id);
  });

  it('is not told by one place, by damage all over, or by a cause from inside', () => {
    expect(leakCauses(wet([0]), car).entry).toBeNull();
    expect(leakCauses(wet(car.modules.map((_, i) => i)), car).entry).toBeNull();
    const pouch = where(car, (p) => p.row === 0).map((moduleIndex): Seen => ({
      moduleIndex,
      evidence: 'swollen or wet pouch',
    }));
    expect(leakCauses(pouch, car).entry).toBeNull();
  });

  it('is not claimed for a side where a dry module lies as well', () => {
    const left = where(car, (p) => p.column === 0);
    const seen: Seen[] = [
      ...wet(left.slice(0, 2)),
      { moduleIndex: left[left.length - 1]!, evidence: 'clean and dry' },
    ];
    expect(leakCauses(seen, car).entry ?? '').not.toMatch(/on the left/);
    expect(leakCauses(seen, car).entry).toMatch(/at the front end/);
  });

  it('of a pack of several tiers is told from below or above', () => {
    expect(bus.tiers.length).toBeGreaterThan(1);
    const bottom = where(bus, (p) => p.tier === 0);
    const top = where(bus, (p) => p.tier === bus.tiers.length - 1);
    expect(leakCauses(wet(bottom), bus).entry).toMatch(/it came from below/);
    expect(leakCauses(wet(top), bus).entry).toMatch(/it came from above/);
    const blow = bottom.map((moduleIndex): Seen => ({ moduleIndex, evidence: 'bent plate or dent' }));
    expect(leakCauses(blow, bus).entry).toMatch(/the blow came from below/);
  });
});
