import { describe, expect, it } from 'vitest';
import { Random } from '../simpack';
import { judgeHold, type HoldTest } from './hold';
import { analyseRun, type BenchRun } from './run';

/** A NiMH cell under load by what is left in it: a plateau, then a knee down to reversal. The test's own, shared with nothing. */
const nimhV = (usedAh: number, holdsAh: number): number =>
  1.32 - 0.09 * (usedAh / 5.5) - 1.55 / (1 + Math.exp(-(usedAh - holdsAh) / 0.012));
function stick(holdsAh: number[], amps = 5.5, cutoffV = 5.4, more: Partial<BenchRun> = {}): BenchRun {
  const random = new Random(4);
  const timeS: number[] = [];
  const currentA: number[] = [];
  const voltageV: number[] = [];
  for (let t = 0, q = 0; q < 6; t += 2) {
    const rest = t < 120;
    if (!rest) q += (amps * 2) / 3600;
    timeS.push(t);
    currentA.push(rest ? 0 : amps);
    voltageV.push(
      holdsAh.reduce((s, h) => s + Math.max(-0.2, nimhV(rest ? 0 : q, h)), 0) -
        (rest ? 0 : amps * 0.008) +
        random.normal(0.002),
    );
    if (!rest && voltageV.at(-1)! < cutoffV - 0.6) break;
  }
  return { chemistry: 'nimh', cellsInSeries: holdsAh.length, cutoffV, timeS, currentA, voltageV, ...more };
}

describe('one logged run', () => {
  it('of a stick: its capacity to the cut-off, and each cell that ran empty on the way, where it did', () => {
    const a = analyseRun(stick([5.2, 5.3, 3.1, 5.25, 4.2, 5.22], 5.5, 4));
    expect(a.complete).toBe(true);
    expect(a.cellsDroppedOut).toBe(2);
    // The second cell's own voltage passes 0.6 V where half of its fall is gone, whatever the others do.
    expect(a.dropoutsAh[0]!).toBeCloseTo(3.1, 1);
    expect(a.dropoutsAh[1]!).toBeCloseTo(4.2, 1);
    expect(a.warnings.join(' ')).toMatch(/driven backwards/);
    // With a cut-off higher up the second ends the run, and is no longer one that was passed over.
    expect(analyseRun(stick([5.2, 5.3, 3.1, 5.25, 4.2, 5.22])).cellsDroppedOut).toBe(1);
    const even = analyseRun(stick([5.2, 5.3, 5.24, 5.25, 5.21, 5.22], 5.5, 7));
    expect(even.cellsDroppedOut).toBe(0);
    expect(even.capacityAh!).toBeGreaterThan(5.1);
    expect(even.capacityAh!).toBeLessThan(5.35);
  });

  it('two cells close together make one double step, and are two', () => {
    const a = analyseRun(stick([5.2, 5.3, 3.1, 5.25, 3.12, 5.22], 5.5, 4.6));
    expect(a.dropoutsAh).toHaveLength(2);
    expect(a.dropoutsAh[0]!).toBeLessThanOrEqual(a.dropoutsAh[1]!);
  });

  it('finds a cell that ran empty while no rows were logged, in the gap', () => {
    const full = stick([5.2, 5.3, 3.1, 5.25, 4.2, 5.22], 5.5, 4);
    const [from, to] = [3.0, 3.3].map((q) => (q / 5.5) * 3600 + 120);
    const there = full.timeS.map((t) => t <= from! || t >= to!);
    const only = (list: readonly number[]): number[] => list.filter((_, i) => there[i]);
    const a = analyseRun({
      ...full,
      timeS: only(full.timeS),
      currentA: only(full.currentA),
      voltageV: only(full.voltageV),
    });
    expect(a.gaps).toHaveLength(1);
    expect(a.dropoutsAh).toHaveLength(2);
    expect(a.dropoutsAh[0]!).toBeGreaterThan(2.95);
    expect(a.dropoutsAh[0]!).toBeLessThan(3.35);
    expect(a.dropoutsAh[1]!).toBeCloseTo(4.2, 1);
  });

  it('whose rows lie further apart than a second has no resistance at a second', () => {
    const timeS = Array.from({ length: 40 }, (_, i) => 2 * i);
    const currentA = timeS.map((t) => (t >= 10 && t < 40 ? 30 : 0));
    const voltageV = currentA.map((i) => 30 - 0.02 * i);
    const [pulse] = analyseRun({
      chemistry: 'nmc',
      cellsInSeries: 8,
      cutoffV: 20,
      timeS,
      currentA,
      voltageV,
    }).pulses;
    expect(pulse!.r1sMilliohm).toBeNull();
    expect(pulse!.r10sMilliohm!).toBeCloseTo(20, 9);
  });

  it('that ends before its cut-off is a lower bound; a charge tail before it does not count', () => {
    const full = stick([5.2, 5.3, 5.24, 5.25, 5.21, 5.22]);
    const half = full.timeS.length >> 1;
    const cut: BenchRun = {
      ...full,
      timeS: full.timeS.slice(0, half),
      currentA: full.currentA.slice(0, half),
      voltageV: full.voltageV.slice(0, half),
    };
    const a = analyseRun(cut);
    expect(a).toMatchObject({ complete: false, lowerBound: true });
    expect(a.capacityAh!).toBeLessThan(analyseRun(full).capacityAh!);
    const tail: BenchRun = {
      ...full,
      timeS: [0, 600, ...full.timeS.map((t) => t + 610)],
      currentA: [-3, -3, ...full.currentA],
      voltageV: [8.6, 8.7, ...full.voltageV],
    };
    expect(analyseRun(tail).capacityAh!).toBeCloseTo(analyseRun(full).capacityAh!, 6);
  });

  it('of lithium subtracts what was given back, tells a gap, and reads resistance where a step is long enough', () => {
    const timeS: number[] = [];
    const currentA: number[] = [];
    const voltageV: number[] = [];
    const row = (t: number, i: number): void => {
      timeS.push(t);
      currentA.push(i);
      voltageV.push(29.5 - t / 4000 - 0.02 * i);
    };
    for (let t = 0; t < 60; t++) row(t, 0);
    for (let t = 60; t < 120; t++) row(t, 20);
    for (let t = 120; t < 130; t++) row(t, -10);
    for (let t = 130; t < 135; t++) row(t, 40);
    for (let t = 135; t < 900; t++) if (t < 400 || t > 500) row(t, 20);
    const a = analyseRun({ chemistry: 'nmc', cellsInSeries: 8, cutoffV: 28.95, timeS, currentA, voltageV });
    expect(a.gaps).toEqual([{ fromS: 399, toS: 501 }]);
    expect(a.dischargedAh).toBeGreaterThan(a.netAh);
    expect(a.capacityAh).toBe(a.netAh);
    const first = a.pulses[0]!;
    expect(first).toMatchObject({ fromA: 0, toA: 20 });
    // From the last row before the step; what the line itself falls within a second and ten is in the figure.
    expect(first.r1sMilliohm!).toBeCloseTo(20 + (1 / 4000 / 20) * 1000, 3);
    expect(first.r10sMilliohm!).toBeCloseTo(20 + (10 / 4000 / 20) * 1000, 3);
    // Ten rows of a pulse: its tenth second is its last row.
    expect(a.pulses.find((p) => p.toA === -10)!.r10sMilliohm).not.toBeNull();
    expect(a.pulses.find((p) => p.toA === 40)).toMatchObject({ r10sMilliohm: null });
    expect(() =>
      analyseRun({
        chemistry: 'nmc',
        cellsInSeries: 8,
        cutoffV: 1,
        timeS: [0, 1],
        currentA: [0],
        voltageV: [1, 1],
      }),
    ).toThrow(/currentA has 1/);
  });
});

describe('a hold test', () => {
  function held(leakMa: number, seed: number, hours: number, more: Partial<HoldTest> = {}): HoldTest {
    const random = new Random(seed);
    const timeH = Array.from({ length: 40 }, (_, i) => (hours * (i + 1)) / 40);
    const temperatureC = timeH.map((t) => 21 + 2 * Math.sin((2 * Math.PI * t) / 24));
    const slope = 0.02;
    return {
      chemistry: 'nmc',
      cellsInSeries: 8,
      capacityAh: 60,
      socFraction: 0.8,
      ocvSlopeVPerAh: slope,
      temperatureCoefficientVPerK: null,
      leakLimitMilliamp: 10,
      deadBelowV: 8,
      suddenDropV: 0.8,
      timeH,
      temperatureC,
      voltageV: timeH.map(
        (t, i) =>
          32 +
          0.06 * Math.exp(-t / 3) -
          (leakMa / 1000) * slope * t +
          0.0015 * (temperatureC[i]! - 21) +
          random.normal(0.0002),
      ),
      ...more,
    };
  }
  it('tells a leak from settling and from temperature, and holds the truth as often as it says', () => {
    let inside = 0;
    let wrong = 0;
    for (let seed = 1; seed <= 60; seed++) {
      const truth = [2, 30, 8][seed % 3]!;
      const a = judgeHold(held(truth, seed, 96));
      if (Math.abs(a.leakageMilliamp! - truth) <= 2 * a.leakageSdMilliamp!) inside++;
      if ((a.verdict === 'pass' && truth > 10) || (a.verdict === 'fail' && truth < 10)) wrong++;
    }
    expect(wrong).toBe(0);
    expect(inside).toBeGreaterThanOrEqual(53);
    expect(judgeHold(held(1, 2, 96)).verdict).toBe('pass');
    expect(judgeHold(held(40, 2, 96)).verdict).toBe('fail');
    expect(judgeHold(held(40, 2, 96)).lossPerDayFraction!).toBeCloseTo((0.04 * 24) / 60, 2);
  });
  it('of modules that settle with two time constants fails none that is good, and holds the truth as often as it says', () => {
    let [inside, wrong] = [0, 0];
    for (let seed = 1; seed <= 24; seed++) {
      const r = new Random(seed);
      const limit = r.uniform(5, 15);
      const leak = seed % 2 ? limit * r.uniform(0.1, 0.5) : limit * r.uniform(2, 5);
      const [quick, slow] = [8 * r.uniform(0.003, 0.02), 8 * r.uniform(0.001, 0.012)];
      const [quickH, slowH] = [r.uniform(0.3, 4), r.uniform(8, 40)];
      const base = held(0, seed, r.uniform(36, 168));
      const slope = base.ocvSlopeVPerAh;
      const a = judgeHold({
        ...base,
        leakLimitMilliamp: limit,
        voltageV: base.timeH.map(
          (t, i) =>
            32 +
            quick * Math.exp(-t / quickH) +
            slow * Math.exp(-t / slowH) -
            (leak / 1000) * slope * t +
            0.0015 * (base.temperatureC[i]! - 21) +
            0.0005 * r.normal(),
        ),
      });
      if (Math.abs(a.leakageMilliamp! - leak) <= 2 * a.leakageSdMilliamp!) inside++;
      if (
        a.verdict === 'dead' ||
        (a.verdict === 'fail' && leak < limit) ||
        (a.verdict === 'pass' && leak > limit)
      )
        wrong++;
    }
    expect(wrong).toBe(0);
    expect(inside).toBeGreaterThanOrEqual(21);
  });
  it('says what is too early, and what is dead', () => {
    expect(judgeHold(held(10, 3, 3)).verdict).toBe('inconclusive');
    const few = held(1, 1, 90);
    expect(
      judgeHold({
        ...few,
        timeH: few.timeH.slice(0, 3),
        voltageV: few.voltageV.slice(0, 3),
        temperatureC: few.temperatureC.slice(0, 3),
      }).verdict,
    ).toBe('inconclusive');
    expect(judgeHold({ ...few, voltageV: few.voltageV.map((v, i) => (i > 20 ? 3 : v)) }).verdict).toBe(
      'dead',
    );
    // What falls first is relaxation, as much as it may be: two volts in the first hours of a stick.
    const settles = few.timeH.map((t, i) => few.voltageV[i]! + 2 * Math.exp(-t / 4));
    expect(judgeHold({ ...few, cellsInSeries: 24, voltageV: settles }).verdict).not.toBe('dead');
    const gone = judgeHold({ ...few, voltageV: few.voltageV.map((v, i) => (i > 20 ? v - 3.6 : v)) });
    expect(gone).toMatchObject({ verdict: 'dead', leakageMilliamp: null });
    expect(gone.reasons[0]).toMatch(/a cell has gone/);
  });
});
