import { checkProfile, defaultOcvTable, type PackProfile } from '@cellmend/core/pack';
import { describe, expect, it } from 'vitest';
import { applyLayout, layoutOf, parseOcv, parseSizes, printOcv, printSizes } from './form';

const base: PackProfile = {
  name: 'x',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: [{ id: 'ch1', cells: 1 }],
  modules: [{ id: 'M01', channels: ['ch1'] }],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
};

describe('the profile form', () => {
  it('lays unequal modules in two tiers into a sound pack, and reads its own layout back', () => {
    const layout = {
      sizes: '12×6, 3×8, 4',
      tiers: '12, 4',
      columns: 2,
      cellsPerChannel: 1,
      disconnectAfter: 12,
    };
    const made = applyLayout(base, layout)!;
    expect(checkProfile(made).faults).toEqual([]);
    expect(made.channels).toHaveLength(100);
    expect(layoutOf(made)).toEqual(layout);
  });

  it('makes blocks that span modules', () => {
    const made = applyLayout(
      { ...base, chemistry: 'nimh', ocv: defaultOcvTable('nimh') },
      { sizes: '28x6', tiers: '28', columns: 14, cellsPerChannel: 12, disconnectAfter: 19 },
    )!;
    expect(made.channels).toHaveLength(14);
    expect(checkProfile(made).pack!.channels[0]!.moduleIndices).toEqual([0, 1]);
  });

  it('refuses numbers that do not make a pack together', () => {
    const layout = { sizes: '4×4', tiers: '4', columns: 2, cellsPerChannel: 1, disconnectAfter: 0 };
    expect(applyLayout(base, { ...layout, tiers: '3' })).toBeNull();
    expect(applyLayout(base, { ...layout, sizes: 'four' })).toBeNull();
    expect(applyLayout(base, { ...layout, cellsPerChannel: 3 })).toBeNull();
    expect(parseSizes('0×4')).toBeNull();
    expect(printSizes([6, 6, 8, 4, 4])).toBe('2×6, 8, 2×4');
  });

  it('reads pasted rest voltage tables in per cent or as fractions, with points or commas', () => {
    expect(parseOcv('0 3.0\n50 3.7\n100 4.2')).toEqual([
      [0, 3],
      [0.5, 3.7],
      [1, 4.2],
    ]);
    expect(parseOcv('SOC\tOCV\n0\t3,0\n1\t4,2')).toEqual([
      [0, 3],
      [1, 4.2],
    ]);
    expect(parseOcv(printOcv(base.ocv))).toEqual(base.ocv);
    expect(parseOcv('50 3.7')).toBeNull();
    expect(parseOcv('a b c')).toBeNull();
  });
});
