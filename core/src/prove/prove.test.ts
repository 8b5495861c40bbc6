import { describe, expect, it } from 'vitest';
import { defaultOcvTable, measured, normalisePack, ocvCurve } from '../pack';
import { Random } from '../simpack';
import { aged, capacityOf, inNegativeAt, newCell, particleVoltage, restV } from '../simpack/particle';
import { endsOf, median, spreadAt, type Ends, type Spread } from '../diagnosis';
import { compareRecords } from '.';

const pack = normalisePack({
  name: 'p',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 8 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: [
    { id: 'A', channels: ['c1', 'c2', 'c3', 'c4'] },
    { id: 'B', channels: ['c5', 'c6', 'c7', 'c8'] },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const at = (volts: number, changes: Record<number, number> = {}): Spread =>
  spreadAt(
    {
      timeS: 0,
      restedS: 900,
      temperatureC: 22,
      drawnAh: 0,
      voltageV: Array.from({ length: 8 }, (_, i) => volts + (i % 2) * 0.001 + (changes[i] ?? 0)),
    },
    pack,
  );
const ends = (full: Spread | null, empty: Spread | null): Ends => ({ nearFull: full, nearEmpty: empty });
const before = ends(at(4.12, { 2: -0.01 }), at(3.45, { 2: -0.3 }));

describe('near full and near empty of a record', () => {
  it('are the rests with most and least charge, if far enough apart', () => {
    const [full, middle, empty] = [at(4.12), at(3.75), at(3.4)];
    expect(endsOf([middle, empty, full])).toEqual({ nearFull: full, nearEmpty: empty });
    expect(endsOf([full, at(4.11)])).toMatchObject({ nearFull: full, nearEmpty: null });
    expect(endsOf([empty])).toMatchObject({ nearFull: null, nearEmpty: empty });
    expect(endsOf([])).toEqual({ nearFull: null, nearEmpty: null });
  });
});

describe('before and after', () => {
  it('is proven when both ends are within their limits', () => {
    const c = compareRecords(before, ends(at(4.12), at(3.45)), pack, [0, 1, 2, 3]);
    expect(c).toMatchObject({ passed: true, stillOdd: [] });
    expect(c.ends.map((e) => [e.end, e.better])).toEqual([
      ['near full', true],
      ['near empty', true],
    ]);
    expect(c.ends[1]!.beforeMv).toBeGreaterThan(290);
    // A step of 1 mV and noise of 1 mV, of two channels, twice: 2 · √(2 · (1/12 + 1)).
    expect(c.readsWithinMv).toBeCloseTo(2 * Math.sqrt(2 * (1 / 12 + 1)), 9);
    expect(c.span!.still).toBe('');
    expect(c.span!.fromSoc).toBeGreaterThan(0.9);
  });

  it('is not proven by two ends of which one was not seen, nor green with a channel 95 mV low', () => {
    const curve = ocvCurve(pack.profile.ocv);
    const [high, middle] = [curve.voltageAt(0.98), curve.voltageAt(0.68)];
    const even = compareRecords(before, ends(at(high), at(middle)), pack, []);
    expect(even.passed).toBe(false);
    expect(even.verdict).toContain('which is not both ends. Drive it below 35 %');
    const low = compareRecords(before, ends(at(high), at(middle, { 2: -0.095 })), pack, []);
    expect(low.passed).toBe(false);
    expect(low.verdict).toBe('The spread is still too wide near empty.');
  });

  it('is neither better nor worse within what a delta is read to; the span of charge says what is still to be driven', () => {
    const same = compareRecords(ends(at(4.12, { 2: -0.003 }), null), ends(at(4.12), at(3.72)), pack, []);
    expect(same.ends[0]!.better).toBeNull();
    expect(same.span!.still).toBe('Drive it below 35 % and rest it there.');
    const high = compareRecords(ends(null, null), ends(at(3.62), null), pack, []);
    expect(high.span!.still).toMatch(/^Charge it above 75 %/);
  });

  it('is not proven by one end alone: a weak group looks fine at the top', () => {
    const c = compareRecords(before, ends(at(4.12), null), pack, []);
    expect(c.passed).toBe(false);
    expect(c.verdict).toMatch(/near empty is still missing/);
  });

  it('names what is still odd and at which end the spread is too wide', () => {
    const c = compareRecords(before, ends(at(4.12), at(3.45, { 6: -0.2 })), pack, []);
    expect(c.passed).toBe(false);
    expect(c.verdict).toMatch(/too wide near empty/);
    expect(c.stillOdd).toEqual(['c7']);
  });

  // Over the charge that the others gave: found from the curve by hand, on both ends.
  it.each([
    ['more', 1.08],
    ['less', 0.93],
    ['as much', 1],
  ])('tells that a new module holds %s than those beside it, and how much', (_, ratio) => {
    const curve = ocvCurve(pack.profile.ocv);
    const [fullSoc, lowSoc] = [0.93, 0.15];
    // It begins 1 % higher, and gives the same charge as they do.
    const own = [fullSoc + 0.01, fullSoc + 0.01 - (fullSoc - lowSoc) / ratio];
    const spread = (soc: number, mine: number): Spread => {
      const shift = curve.voltageAt(mine) - curve.voltageAt(soc);
      return at(curve.voltageAt(soc), { 0: shift, 1: shift, 2: shift, 3: shift });
    };
    const c = compareRecords(
      before,
      ends(spread(fullSoc, own[0]!), spread(lowSoc, own[1]!)),
      pack,
      [0, 1, 2, 3],
      measured(50, 0.5, 'a drive'),
    );
    const [n] = c.newcomers!;
    expect(n).toMatchObject({ module: 'A', ratio: { measured: true } });
    if (!n!.ratio.measured || !n!.capacityAh.measured) return expect.unreachable();
    expect(n!.ratio.value).toBeCloseTo(ratio, 2);
    expect(n!.ratio.low < ratio && ratio < n!.ratio.high).toBe(true);
    expect(n!.capacityAh.value).toBeCloseTo(50 * ratio, 0);
    expect(n!.holds).toBe(ratio === 1 ? null : ratio > 1 ? 'more' : 'less');
    expect(c.replacedMeaning).toMatch(
      ratio === 1
        ? /^A holds as much .*, within \d %\.$/
        : /^A holds (more|less) .*: by [78] %, \d to \d+ %\.$/,
    );
  });

  it('gives a new module no size by one end alone, nor on a curve that is flat there, nor where nothing stayed', () => {
    const low = at(3.45, { 0: 0.02, 1: 0.02 });
    const one = compareRecords(before, ends(null, low), pack, [0, 1]);
    expect(one.newcomers![0]!.ratio).toMatchObject({ measured: false });
    expect(one.replacedMeaning).toMatch(/above its neighbours when low: it holds more if it was level/);
    expect(compareRecords(before, ends(at(4.12), null), pack, [0, 1]).replacedMeaning).toMatch(
      /^How much A holds against its neighbours is not told: it was not seen at rest near empty\.$/,
    );
    const lfp = {
      ...pack,
      profile: { ...pack.profile, chemistry: 'lfp' as const, ocv: defaultOcvTable('lfp') },
    };
    const flat = (soc: number): Spread =>
      spreadAt(
        {
          timeS: 0,
          restedS: 900,
          temperatureC: 22,
          drawnAh: 0,
          voltageV: pack.channels.map(() => ocvCurve(lfp.profile.ocv).voltageAt(soc)),
        },
        lfp,
      );
    const unsized = compareRecords(before, ends(flat(0.85), flat(0.45)), lfp, [0, 1]).newcomers![0]!;
    expect(unsized.ratio).toMatchObject({
      measured: false,
      why: expect.stringMatching(/too flat/) as string,
    });
    expect(unsized.capacityAh.measured).toBe(false);
    // Of NiMH nothing is sized, and nothing said to hold more.
    const nimh = { ...pack, profile: { ...pack.profile, chemistry: 'nimh' as const } };
    const remembers = compareRecords(before, ends(at(4.12), low), nimh, [0, 1]);
    expect(remembers.newcomers![0]!.ratio.measured).toBe(false);
    expect(remembers.replacedMeaning).toBe(
      'How much A holds against its neighbours is not told: the rest voltage of NiMH remembers where it comes from.',
    );
    expect(
      compareRecords(before, ends(at(4.12), at(3.45)), pack, [0, 1, 2, 3, 4, 5, 6, 7]).newcomers,
    ).toEqual([]);
  });

  // Cells of diffusion and half-cell curves (held against scipy's integrator), which have nothing of this rule in them.
  it.each(['nmc', 'lfp'] as const)(
    'sizes %s cells of another age in packs of particles: the truth lies within what it leaves open',
    (chemistry) => {
      const random = new Random(4021);
      let [n, within, told] = [0, 0, 0];
      for (let k = 0; k < 100; k++) {
        const fresh = newCell(chemistry, 60);
        const usual = aged(
          fresh,
          random.uniform(0.04, 0.14),
          random.uniform(0, 0.08),
          random.uniform(0, 0.06),
        );
        const newcomer = aged(
          fresh,
          random.uniform(0, 0.2),
          random.uniform(0, 0.08),
          random.uniform(0, 0.06),
        );
        const [below, c] = [random.uniform(0.02, 0.06) * capacityOf(usual), capacityOf(usual)];
        const timeS = Float64Array.from({ length: 240 }, (_, i) => i * 60);
        const drawA = random.uniform(0.62, 0.78) * c;
        const currentA = timeS.map((t) => (t > 240 && t <= 3840 ? drawA : 0));
        const full = inNegativeAt(usual, usual.fullV);
        const sag = (c / 20) * usual.ohmicOhm + 0.004;
        const table = Array.from({ length: 21 }, (_, i): [number, number] => [
          i / 20,
          Math.round(1000 * (restV(usual, full - c * (1 - i / 20)) - sag)) / 1000,
        ]);
        const own = normalisePack({ ...pack.profile, chemistry, ocv: table });
        const cells = pack.channels.map((_, i) =>
          i < 4 ? newcomer : aged(usual, Math.abs(random.normal(0.004)), Math.abs(random.normal(0.004)), 0),
        );
        const read = cells.map((cell, i) => {
          const apart = i < 4 ? random.uniform(-0.01, 0.01) * c : random.normal(0.003) * c;
          const v = particleVoltage(
            cell,
            inNegativeAt(cell, cell.fullV) - Math.max(0.002 * c, below + apart),
            timeS,
            currentA,
            22,
            0,
          );
          const offsetV = random.normal(0.001);
          return [3, timeS.length - 1].map((at) => v[at]! + offsetV + random.normal(0.0007));
        });
        if (read.some(([, low]) => !(low! > fresh.emptyV + 0.1))) continue;
        const [high, low] = [0, 1].map((e) =>
          spreadAt(
            {
              timeS: 0,
              restedS: 900,
              temperatureC: 22,
              drawnAh: 0,
              voltageV: read.map((r) => Math.round(1000 * r[e]!) / 1000),
            },
            own,
          ),
        );
        const { ratio, holds } = compareRecords(before, endsOf([high!, low!]), own, [0, 1, 2, 3])
          .newcomers![0]!;
        const truth = capacityOf(newcomer) / median(cells.slice(4).map(capacityOf));
        if (!ratio.measured) continue;
        n++;
        if (ratio.low <= truth && truth <= ratio.high) within++;
        // Which way it goes is never told wrong.
        if (holds) expect([k, holds]).toEqual([k, truth > 1 ? 'more' : 'less']);
        if (holds) told++;
      }
      expect(n).toBeGreaterThan(30);
      expect(within / n).toBeGreaterThanOrEqual(0.9);
      expect(told).toBeGreaterThan(30);
    },
  );

  it('says nothing of a new module where none was fitted', () => {
    expect(compareRecords(before, ends(at(4.12), at(3.45)), pack, [])).toMatchObject({
      replacedNearEmptyMv: null,
      replacedMeaning: null,
    });
  });
});
