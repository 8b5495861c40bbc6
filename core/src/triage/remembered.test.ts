import { describe, expect, it } from 'vitest';
import { rememberedCauses, triage, withRemembered } from '.';

describe('what such packs turned out to have', () => {
  const rows = triage(['short range', 'drops at low charge'], [], {});
  it('counts what was confirmed, by the cause it was', () => {
    expect(
      rememberedCauses({
        'low-capacity': { confirmed: 5 },
        dead: { confirmed: 1 },
        imbalance: { confirmed: 3 },
        leak: { confirmed: 2 },
        'sense-fault': { confirmed: 0 },
        'of an older version': { confirmed: 4 },
      }),
    ).toEqual({ 'cell or group': 6, balance: 3, insulation: 2 });
  });
  it('ranks what the signs point to, and keeps what they say alone beside it', () => {
    // By the signs alone: cell or group 7 of 10, balance 3 of 10. With 30 confirmed imbalances: (20·0.3 + 30)/(20 + 30) = 0.72.
    const joined = withRemembered(rows, { balance: 30, insulation: 9 });
    expect(joined.map((r) => r.cause)).toEqual(['balance', 'cell or group']);
    expect(joined[0]!.share).toBeCloseTo(0.3, 9);
    expect(joined[0]!.withMemory).toBeCloseTo(0.72, 9);
    expect(joined[0]!.here).toEqual({ hits: 30, n: 39 });
    // What no sign points to is not accused.
    expect(joined.some((r) => r.cause === 'insulation')).toBe(false);
    expect(joined.reduce((s, r) => s + r.withMemory, 0)).toBeCloseTo(1, 9);
  });
  it('nothing remembered leaves it as the signs say', () => {
    for (const r of withRemembered(rows, {})) expect(r.withMemory).toBeCloseTo(r.share, 12);
  });
});
