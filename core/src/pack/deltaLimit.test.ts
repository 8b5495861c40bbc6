import { describe, expect, it } from 'vitest';
import { marramVan, islandBus } from '../../../cli/src/demoPacks';
import { apartShare, deltaLimitMv, judgeDelta } from './deltaLimit';
import { withLimit } from './limits';
import { normalisePack } from './normalise';
import { ocvCurve } from './ocv';

// A delta is a charge by the slope of the rest curve. Limits near full: practice of the trade, no source.

const van = normalisePack(marramVan());
const lfp = normalisePack(islandBus());

describe('the limit of a delta', () => {
  it('is one of charge: near full the usual millivolts, and what that charge makes elsewhere', () => {
    const { voltageAt } = ocvCurve(van.profile.ocv);
    for (const soc of [0.25, 0.5, 0.7]) {
      const accepted = apartShare(van, soc);
      expect(deltaLimitMv(van, soc)).toBeCloseTo(
        Math.max(20, 1000 * (voltageAt(soc + accepted / 2) - voltageAt(soc - accepted / 2))),
        6,
      );
    }
    expect(deltaLimitMv(van, 0.98)).toBeLessThanOrEqual(45);
    expect(deltaLimitMv(van, 0.05)).toBe(100);
    expect(deltaLimitMv(normalisePack(withLimit(marramVan(), 'deltaFullMv', 20)), 0.99)).toBeLessThanOrEqual(
      20,
    );
  });
  it('near full is what practice accepts of a good pack: 30 to 45 mV', () => {
    const { voltageAt } = ocvCurve(van.profile.ocv);
    const mv = 1000 * (voltageAt(1) - voltageAt(1 - apartShare(van, 0.97)));
    expect(mv).toBeGreaterThan(30);
    expect(mv).toBeLessThan(60);
  });
  it('a channel 95 mV low is beyond it at every charge but the steep end, by the same rule wherever it is read', () => {
    for (const soc of [0.98, 0.68, 0.5, 0.38]) expect(judgeDelta(95, soc, van).state).toBe('beyond');
    expect(judgeDelta(95, 0.03, van).state).toBe('within');
    expect(deltaLimitMv(van, 0.38)).toBeLessThan(60);
  });
  it('a flat curve hides charge: a small delta there cannot tell, a plain one is beyond', () => {
    expect(judgeDelta(8, 0.5, lfp).state).toBe('cannot-tell');
    expect(judgeDelta(40, 0.5, lfp).state).toBe('beyond');
    expect(judgeDelta(4, 0.5, van).state).toBe('within');
  });
  it('tells what a delta is in charge, least and most by what the readings tell', () => {
    const { voltageAt } = ocvCurve(van.profile.ocv);
    const deltaMv = 1000 * (voltageAt(0.52) - voltageAt(0.48));
    const { low, high } = judgeDelta(deltaMv, 0.5, van).share;
    expect(low).toBeLessThan(0.04);
    expect(high).toBeGreaterThan(0.04);
  });
});
