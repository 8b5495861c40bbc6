import { describe, expect, it } from 'vitest';
import { checkProfile } from '../pack';
import { physicsCase, Random, type SimCase } from '.';
import { discernible, type Cause, type Column } from './discern';

const cases = (first: number, count: number): SimCase[] => {
  const out: SimCase[] = [];
  for (let seed = first; out.length < count; seed++) {
    const c = physicsCase(seed);
    if (c) out.push(c);
  }
  return out;
};

describe('what a record can tell', () => {
  const n = 60;
  const at = (f: (k: number) => number): Float64Array => Float64Array.from({ length: n }, (_, k) => f(k));
  const straight = (unit: Float64Array): Float64Array[] => [at(() => 0), unit];
  const healthy: Column[] = [
    { sd: 0.001, v: at(() => 1) },
    { sd: 0.05, v: at((k) => (k % 2 ? 0.05 : 0)) },
    { sd: 0.004, v: at((k) => 0.8 + 0.005 * k) },
  ];
  const causes: Cause[] = [
    { of: 'sense-fault', shownV: straight(at(() => 0.02)) },
    { of: 'high-resistance', shownV: straight(at((k) => (k % 2 ? 0.05 : 0))) },
    { of: 'imbalance', shownV: straight(at((k) => 0.04 + 0.00025 * k)) },
  ];

  it('is the least square under a prior, worked out by hand for one column', () => {
    const shown = at(() => 0.01);
    const { detect } = discernible(shown, [{ sd: 0.001, v: at(() => 1) }], [], 'sense-fault', 0.002);
    // With n readings of variance s² and a prior of variance p², the sum is n·d²/(s² + n·p²).
    expect(detect).toBeCloseTo((n * 0.01 ** 2) / (0.002 ** 2 + n * 0.001 ** 2), 6);
  });

  it('tells a step with the current from an offset, and does not tell an offset from a charge where the curve is straight', () => {
    const joint = discernible(
      at((k) => (k % 2 ? 0.03 : 0)),
      healthy,
      causes,
      'high-resistance',
      0.001,
    );
    expect(joint.separate).toBeGreaterThan(100);
    const flat = causes.map((c) => (c.of === 'imbalance' ? { ...c, shownV: straight(at(() => 0.04)) } : c));
    const offset = discernible(
      at(() => 0.05),
      healthy,
      flat,
      'sense-fault',
      0.001,
    );
    expect(offset.detect).toBeGreaterThan(100);
    expect(offset.separate).toBeLessThan(1);
  });

  it('sees through a bend: a large difference of one cause may look like another of another size', () => {
    const bent = (size: number): Float64Array => at((k) => 0.3 * size * (1 - size * (k / n)));
    const bends: Cause[] = [
      { of: 'imbalance', shownV: [0, 0.05, 0.1, 0.15, 0.2].map(bent) },
      { of: 'sense-fault', shownV: straight(at(() => 0.02)) },
    ];
    // Lost capacity that shows exactly what 17 % of charge would show is not told from it, however plain it is.
    const { detect, separate } = discernible(bent(0.17), [], bends, 'low-capacity', 0.001);
    expect(detect).toBeGreaterThan(1000);
    expect(separate).toBeLessThan(1);
  });
});

describe('the physics world', () => {
  it('makes the same case of the same seed, with a profile and a record that the app takes', () => {
    const random = new Random(7);
    for (const c of cases(random.integer(1, 5000), 6)) {
      expect(checkProfile(c.pack.profile).faults.filter((f) => f.level === 'error')).toEqual([]);
      expect(c.record.voltageV).toHaveLength(c.pack.channels.length);
      expect(c.record.voltageV.every((s) => s.value.some(Number.isFinite))).toBe(true);
    }
    const [a, b] = [1, 1].map((seed) => physicsCase(seed));
    expect(a!.record.voltageV[3]!.value).toEqual(b!.record.voltageV[3]!.value);
  });
});
