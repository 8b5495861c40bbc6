import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, ocvCurve } from '../../pack';
import {
  aged as agedCell,
  beadGraphiteV,
  capacityOf,
  inNegativeAt,
  newCell,
  physicsCase,
  beadGraphiteCase,
  particleVoltage,
  restV,
  type ParticleCell,
} from '../../simpack';
import {
  aged,
  mohtat2020NegativeV,
  mohtat2020PositiveV,
  negativeAt,
  negativeBehind,
  negativeOfFlat,
} from './halfCells';
import { heldRatio } from './retainedCapacity';
import { observe } from '../channel/deviations';
import { smoothTable } from './smoothOcvTable';
import { CAPACITY_TOLD_SD, chargeToCount } from './typicalCell';

/** Rest voltage of a particle cell after a charge below full, A·h. */
const volts = (c: ParticleCell, belowFullAh: number): number =>
  restV(c, inNegativeAt(c, c.fullV) - belowFullAh);
const tableOf = (c: ParticleCell, stepPercent: number): [number, number][] =>
  Array.from({ length: 100 / stepPercent + 1 }, (_, i) => {
    const s = (i * stepPercent) / 100;
    return [s, Math.round(1000 * volts(c, capacityOf(c) * (1 - s))) / 1000];
  });

describe('published half cells', () => {
  it('make the cell their paper describes: 4.2 V full and about 3 V empty', () => {
    // Stoichiometries at the ends of charge as in Mohtat et al. 2020, from memory.
    expect(mohtat2020PositiveV(0.0335) - mohtat2020NegativeV(0.8332)).toBeCloseTo(4.2, 1);
    expect(mohtat2020PositiveV(0.8907) - mohtat2020NegativeV(0.0017)).toBeLessThan(3.2);
  });
});

/** What a cell that lost lithium shows against one that did not, by the particle cells and by the electrode found behind the table. */
function slipped(
  chemistry: 'nmc' | 'lfp',
  graphite: ((x: number) => number) | undefined,
  stepPercent: number,
) {
  const typical = agedCell(newCell(chemistry, 60, graphite), 0.06, 0.03, 0.02);
  const odd = agedCell(typical, 0.12, 0, 0);
  const capacity = capacityOf(typical);
  const ratio = capacityOf(odd) / capacity;
  const table = tableOf(typical, stepPercent);
  const curve = ocvCurve(chemistry === 'lfp' ? smoothTable(table) : table);
  const negative = chemistry === 'lfp' ? negativeOfFlat(curve) : negativeBehind(curve, chemistry, table);
  const rows: { true: number; ours: number }[] = [];
  for (let u = 0.05; u < 0.75; u += 0.02)
    rows.push({
      true: volts(odd, u * capacity) - volts(typical, u * capacity),
      ours: negative
        ? negativeAt(negative, 1 - u).v - negativeAt(negative, 1 - u - (1 - ratio)).v
        : Number.NaN,
    });
  const rms = (of: (r: (typeof rows)[number]) => number): number =>
    Math.sqrt(rows.reduce((s, r) => s + of(r) ** 2, 0) / rows.length);
  return {
    found: negative !== null,
    off: rms((r) => r.true - r.ours),
    whole: rms((r) => r.true),
    ratio,
    curve,
    negative,
  };
}

describe('the negative electrode behind a rest curve', () => {
  it.each([
    ['nmc', undefined, 5, 0.15],
    ['nmc', undefined, 2, 0.15],
    // A graphite that is none of those known: the nearest is taken.
    ['nmc', beadGraphiteV, 2, 0.6],
    // Of a flat curve it is the curve itself, whatever the graphite.
    ['lfp', undefined, 5, 0.25],
    ['lfp', undefined, 2, 0.15],
    ['lfp', beadGraphiteV, 5, 0.25],
  ] as const)('of %s tells what lost lithium shows', (chemistry, graphite, step, share) => {
    const { found, off, whole } = slipped(chemistry, graphite, step);
    expect(found).toBe(true);
    expect(whole).toBeGreaterThan(chemistry === 'lfp' ? 0.008 : 0.02);
    expect(off).toBeLessThan(share * whole);
  });

  it.each(['nimh', 'lfp'] as const)('is not known of %s', (chemistry) => {
    const table = defaultOcvTable(chemistry);
    expect(negativeBehind(ocvCurve(table), chemistry, table)).toBeNull();
  });

  it('gives what is left of a cell that lost lithium', () => {
    for (const chemistry of ['nmc'] as const) {
      const { ratio, curve, negative } = slipped(chemistry, undefined, 2);
      expect(Math.abs(heldRatio({ curve, negative }, 0, 1 - ratio, 0) - ratio)).toBeLessThan(0.02);
    }
    const plain = ocvCurve(defaultOcvTable('nimh'));
    expect(heldRatio({ curve: plain, negative: null }, 0.25, 0, 0)).toBeCloseTo(0.8, 12);
  });

  it('moves with ageing: the curve of a new cell becomes that of the aged one', () => {
    for (const chemistry of ['nmc', 'lfp'] as const) {
      const fresh = newCell(chemistry, 60);
      const old = agedCell(fresh, 0.1, 0, 0);
      const held = capacityOf(old) / capacityOf(fresh);
      const points = tableOf(fresh, 1);
      const flat = chemistry === 'lfp';
      const table = ocvCurve(points);
      const negative = flat ? negativeOfFlat(table) : negativeBehind(table, chemistry, points)!;
      const { curve } = aged(table, negative, {
        slip: 1 - held,
        stretch: 0,
        held,
      });
      for (let s = 0.2; s < 0.95; s += 0.05) {
        const true_ = volts(old, capacityOf(old) * (1 - s));
        expect(Math.abs(curve.voltageAt(s) - true_), `${chemistry} at ${s}`).toBeLessThan(
          flat ? 0.005 : 0.012,
        );
      }
    }
  });
});

describe('the steps of a flat curve', () => {
  /** A drive of six such cells from a charge below full, their table that of a new one in steps of 5 %. */
  const seen = (lithiumLost: number, drawn: number, graphite?: (x: number) => number) => {
    const fresh = newCell('lfp', 60, graphite);
    const old = agedCell(fresh, lithiumLost, 0, 0);
    const capacity = capacityOf(old);
    const rests = 60;
    const rows = 140;
    const timeS = Float64Array.from({ length: rows }, (_, k) => k * 60);
    const drive = rows - 2 * rests + 40;
    const currentA = timeS.map((_, k) => (k < 20 || k >= 20 + drive ? 0 : (drawn * capacity * 60) / drive));
    const value = particleVoltage(
      old,
      inNegativeAt(old, old.fullV) - 0.06 * capacity,
      timeS,
      currentA,
      22,
      0,
    );
    const channels = ['a', 'b', 'c', 'd', 'e', 'f'].map((id) => ({ id, cells: 1 }));
    const pack = normalisePack({
      name: 'six',
      chemistry: 'lfp',
      ratedCapacityAh: 60,
      channels,
      modules: [{ id: 'M1', channels: channels.map((c) => c.id) }],
      nominalGroupResistanceMilliohm: 1.5,
      ocv: tableOf(fresh, 5),
    });
    const { trajectory } = observe(
      {
        channelIds: channels.map((c) => c.id),
        voltageV: channels.map(() => ({ timeS, value: value.map((v) => Math.round(1000 * v) / 1000) })),
        currentA: { timeS, value: currentA },
        temperatureC: null,
        reportedSocFraction: null,
        simultaneous: true,
        notices: [],
      },
      pack,
    );
    return { trajectory, lost: 1 - capacity / capacityOf(fresh), capacity };
  };

  it.each([
    ['as new', 0, undefined],
    ['with a twelfth of its lithium lost', 0.08, undefined],
    ['with a seventh', 0.14, undefined],
    ['of another graphite', 0.1, beadGraphiteV],
  ] as const)('are found where a record moves past them: a pack %s', (_name, lithium, graphite) => {
    const { trajectory, lost, capacity } = seen(lithium, 0.6, graphite);
    expect(Math.abs(trajectory.ageing!.slip - lost)).toBeLessThan(0.03);
    expect(Math.abs(trajectory.capacityAh / capacity - 1)).toBeLessThan(0.06);
    expect(Math.abs(trajectory.socFraction[0]! - 0.94)).toBeLessThan(0.03);
  });

  it('are not asked for where it does not: the table stands as it is written', () => {
    expect(seen(0.14, 0.05).trajectory.ageing).toBeNull();
  });
});

describe('capacity of the typical channel from a record of particle cells', () => {
  it.each(['nmc', 'lfp'] as const)(
    'is measured by as much charge as is asked for, and by half of it is not (%s)',
    (chemistry) => {
      const asked = chargeToCount(chemistry);
      expect(asked).toBe(chemistry === 'lfp' ? 0.6 : 0.3);
      const seen = { enough: 0, short: 0 };
      for (let seed = 340_000; seen.enough < 4 || seen.short < 2; seed++) {
        const c = physicsCase(
          seed,
          undefined,
          (kind, of) => of === chemistry && (kind === 'drive' || kind === 'two-rests'),
        );
        const alone = c && observe(c.record, normalisePack(c.pack.profile)).trajectory.alone;
        if (!alone) continue;
        const told = alone.capacitySdAh < CAPACITY_TOLD_SD * alone.capacityAh;
        if (alone.spanFraction > asked) {
          seen.enough++;
          expect(told, `${seed}`).toBe(true);
        } else if (alone.spanFraction < asked / 2) {
          seen.short++;
          expect(told, `${seed}`).toBe(false);
        }
      }
    },
  );

  it.each([
    ['of the graphite it knows', physicsCase],
    ['of one it does not', beadGraphiteCase],
  ])(
    'lies within its two standard deviations, %s',
    (_name, make) => {
      // With what is usual of a pack as prior, and by the record alone where that is sure enough to be printed.
      const usual: boolean[] = [];
      const alone: boolean[] = [];
      for (let seed = 310_000; usual.length < 24 || alone.length < 8; seed++) {
        const c = make(seed);
        if (!c || c.typicalCapacityAh === undefined) continue;
        // Only what counts much charge is ever sure of its capacity alone.
        if (usual.length >= 24 && c.recordClass !== 'full' && c.recordClass !== 'two-rests') continue;
        const { trajectory } = observe(c.record, normalisePack(c.pack.profile));
        const holds = (t: { capacityAh: number; capacitySdAh: number }): boolean =>
          Math.abs(t.capacityAh - c.typicalCapacityAh!) <= 2 * t.capacitySdAh;
        usual.push(holds(trajectory));
        if (trajectory.alone && trajectory.alone.capacitySdAh < 0.08 * trajectory.alone.capacityAh)
          alone.push(holds(trajectory.alone));
      }
      const share = (all: boolean[]): number => all.filter(Boolean).length / all.length;
      expect(share(usual)).toBeGreaterThanOrEqual(0.85);
      expect(share(alone)).toBeGreaterThanOrEqual(0.85);
    },
    60_000,
  );
});
