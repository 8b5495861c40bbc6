import { describe, expect, it } from 'vitest';
import { ngspice } from '../../../e2e/src/ngspice';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { Random } from '../simpack';
import { knownResistor } from './knownResistor';
import { locateLeak, moduleFractions, moduleProbabilities, normalShareBelow } from './location';

/** A floating string with leaks to chassis, solved by ngspice with a meter (and R0) at one pole. */
function solve(
  packV: number,
  leaks: { fraction: number; ohm: number }[],
  meter: { pole: 'n' | 'p'; ohm: number; r0?: number } | null,
): { toNegative: number; toPositive: number } {
  const sorted = leaks.map((l, i) => ({ ...l, node: `t${i}` })).sort((a, b) => a.fraction - b.fraction);
  const lines: string[] = [];
  let below = 'n';
  let at = 0;
  sorted.forEach((l, i) => {
    lines.push(`Vs${i} ${l.node} ${below} ${(l.fraction - at) * packV}`);
    below = l.node;
    at = l.fraction;
    lines.push(`Rl${i} ${l.node} 0 ${l.ohm}`);
  });
  lines.push(`Vtop p ${below} ${(1 - at) * packV}`);
  if (meter) lines.push(`Rm ${meter.pole} 0 ${meter.ohm}`);
  if (meter?.r0) lines.push(`R0 ${meter.pole} 0 ${meter.r0}`);
  // The chassis is ground; a last resistor keeps the solver from a floating node.
  lines.push('Rfloat n 0 1e15');
  const found = ngspice(lines.join('\n'), 'op\nprint v(n)\nprint v(p)');
  return { toNegative: -found.get('v(n)')!, toPositive: found.get('v(p)')! };
}
const poles = (packV: number, leaks: { fraction: number; ohm: number }[], meterOhm: number) => ({
  packV,
  negativeV: solve(packV, leaks, { pole: 'n', ohm: meterOhm }).toNegative,
  positiveV: solve(packV, leaks, { pole: 'p', ohm: meterOhm }).toPositive,
  meterOhm,
});

describe('two voltages at the terminals', () => {
  it('give size and place of one leak, as a circuit simulator builds it', () => {
    const random = new Random(31);
    for (let k = 0; k < 12; k++) {
      const packV = random.uniform(120, 700);
      const leak = { fraction: random.uniform(0.02, 0.98), ohm: 10 ** random.uniform(5.5, 7.3) };
      const l = locateLeak({ ...poles(packV, [leak], 10e6), residualOhm: 1e12 });
      expect(l.equivalentOhm.value / leak.ohm).toBeCloseTo(1, 3);
      expect(l.fraction.value).toBeCloseTo(leak.fraction, 4);
      expect(l.fraction.low).toBeLessThanOrEqual(leak.fraction);
      expect(l.fraction.high).toBeGreaterThanOrEqual(leak.fraction);
      expect(l.equivalentOhm.low).toBeLessThanOrEqual(leak.ohm);
      expect(l.equivalentOhm.high).toBeGreaterThanOrEqual(leak.ohm);
    }
  });

  it('hold the truth within their interval when the poles leak as well', () => {
    const random = new Random(32);
    for (let k = 0; k < 12; k++) {
      const leak = { fraction: random.uniform(0.1, 0.9), ohm: 10 ** random.uniform(5, 6.5) };
      const residual = [
        { fraction: 0, ohm: random.uniform(50e6, 500e6) },
        { fraction: 1, ohm: random.uniform(50e6, 500e6) },
      ];
      const l = locateLeak(poles(400, [leak, ...residual], 10e6));
      expect(l.fraction.low).toBeLessThanOrEqual(leak.fraction);
      expect(l.fraction.high).toBeGreaterThanOrEqual(leak.fraction);
    }
  });

  it('see two leaks as one in between: the conductance-weighted mean', () => {
    const leaks = [
      { fraction: 0.2, ohm: 1e6 },
      { fraction: 0.8, ohm: 3e6 },
    ];
    const l = locateLeak({ ...poles(350, leaks, 10e6), residualOhm: 1e12 });
    expect(l.fraction.value).toBeCloseTo((0.2 / 1 + 0.8 / 3) / (1 / 1 + 1 / 3), 4);
  });

  it('give only a bound for a leak far below the meter', () => {
    const l = locateLeak(poles(348, [{ fraction: 0.42, ohm: 6200 }], 10e6));
    expect(l.remarks.join()).toMatch(/known resistor/);
    expect(l.equivalentOhm.high).toBeGreaterThan(6200);
    expect(l.fraction.value).toBeCloseTo(0.42, 3);
  });

  it('that cannot be are told', () => {
    expect(() => locateLeak({ packV: 350, negativeV: 300, positiveV: 200, meterOhm: 10e6 })).toThrow(
      /more than the pack/,
    );
    expect(() => locateLeak({ packV: 350, negativeV: -10, positiveV: 200, meterOhm: 10e6 })).toThrow(
      /without sign/,
    );
    expect(locateLeak({ packV: 350, negativeV: 0.1, positiveV: 0.1, meterOhm: 10e6 }).fraction).toMatchObject(
      { low: 0, high: 1 },
    );
  });
});

describe('the known-resistor method of UN ECE R100 and FMVSS 305', () => {
  it('reads R/max(f, 1−f) for one leak, whatever the meter, as a circuit simulator shows', () => {
    const random = new Random(33);
    for (let k = 0; k < 10; k++) {
      const packV = 360;
      const leak = { fraction: random.uniform(0.5, 0.95), ohm: 10 ** random.uniform(4, 6.5) };
      const r0Ohm = leak.ohm * random.uniform(0.5, 3);
      const v1 = solve(packV, [leak], { pole: 'n', ohm: 10e6 }).toNegative;
      const v2 = solve(packV, [leak], { pole: 'p', ohm: 10e6 }).toPositive;
      const v1WithR0 = solve(packV, [leak], { pole: 'n', ohm: 10e6, r0: r0Ohm }).toNegative;
      const k1 = knownResistor({ v1, v2, v1WithR0, r0Ohm, packV });
      expect(k1.regulationOhm.value / (leak.ohm / leak.fraction)).toBeCloseTo(1, 4);
      expect(k1.leakOhm / leak.ohm).toBeCloseTo(1, 3);
      // The printed form reads low by R_m/(R_m + R_eq), R_m the meter.
      expect(k1.printedOhm / k1.regulationOhm.value).toBeCloseTo(10e6 / (10e6 + leak.ohm), 4);
    }
  });

  it('worked by hand: 500 kΩ, 200 V and 150 V, 120 V with the resistor', () => {
    // R0·(1 + V2/V1)·(V1 − V1')/V1' = 500e3 · 1.75 · 80/120 = 583 333 Ω, the formula of R100 annex 4 and FMVSS 305 S7.6.7.
    const k = knownResistor({ v1: 200, v2: 150, v1WithR0: 120, r0Ohm: 500e3 });
    expect(k.printedOhm).toBeCloseTo(583_333.33, 1);
    expect(k.regulationOhm.value).toBeCloseTo(583_333.33, 1);
  });

  it('says when the resistor is too large to tell, and refuses what cannot be', () => {
    const k = knownResistor({ v1: 200, v2: 150, v1WithR0: 199.9, r0Ohm: 1e6, packV: 350 });
    expect(k.remarks.join()).toMatch(/Only a bound/);
    expect(() => knownResistor({ v1: 100, v2: 150, v1WithR0: 90, r0Ohm: 1e5 })).toThrow(/above V1/);
  });
});

describe('the place along the string', () => {
  const pack = normalisePack(pilotCar());
  it('follows voltage and not the count of modules', () => {
    const uneven = pack.modules.map((_, i) => (i === 0 ? 60 : 30));
    const places = moduleFractions(pack, uneven);
    expect(places[0]!.high).toBeCloseTo(60 / (60 + 11 * 30), 12);
  });

  it('is shared out over the modules by its interval', () => {
    const even = pack.modules.map(() => 29);
    const l = locateLeak({ ...poles(348, [{ fraction: 0.46, ohm: 4e5 }], 10e6), residualOhm: 1e12 });
    const p = moduleProbabilities(pack, even, l);
    expect(p.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 12);
    expect(p.indexOf(Math.max(...p))).toBe(5);
    expect(p[5]!).toBeGreaterThan(0.6);
    expect(normalShareBelow(1.96)).toBeCloseTo(0.975, 4);
  });
});
