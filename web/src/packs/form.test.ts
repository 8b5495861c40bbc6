import { checkProfile, defaultOcvTable, type PackProfile } from '@cellmend/core/pack';
import { describe, expect, it } from 'vitest';
import {
  applyLayout,
  layoutOf,
  parseIds,
  parseOcv,
  parseSizes,
  printIds,
  printOcv,
  printSizes,
  renameModule,
  parseAfter,
  printAfter,
} from './form';

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

  it('keeps names, masses and link kinds of what stays when a number changes', () => {
    const layout = { sizes: '4×6', tiers: '4', columns: 2, cellsPerChannel: 1, disconnectAfter: 2 };
    const made = applyLayout(base, layout)!;
    const own = {
      ...renameModule(made, 0, 'FRONT'),
      links: renameModule(made, 0, 'FRONT').links!.map((l, i) =>
        i === 2 ? { ...l, kind: 'cable' as const, accessMin: 40 } : l,
      ),
    };
    const again = applyLayout(own, { ...layout, columns: 1 })!;
    expect(again.modules[0]!.id).toBe('FRONT');
    expect(again.links![0]!.between).toEqual(['FRONT', 'M02']);
    expect(again.links![2]).toMatchObject({ kind: 'cable', accessMin: 40 });
    expect(checkProfile(again).faults).toEqual([]);
  });

  it('prints and reads which channels or groups a module holds', () => {
    for (const ids of [
      ['ch001', 'ch002', 'ch003', 'ch009'],
      ['b01.5', 'b01.6', 'b02.1'],
      ['left', 'right'],
    ])
      expect(parseIds(printIds(ids))).toEqual(ids);
    expect(printIds(['ch001', 'ch002', 'ch003', 'ch009'])).toBe('ch001 to ch003, ch009');
    for (const bad of ['', 'ch3 to ch1', 'ch1 to b4', 'a to b', 'ch1 to ch2 to ch3'])
      expect(parseIds(bad)).toBeNull();
  });
});

describe('what a part of the build comes after', () => {
  const known = ['lid', 'rail', 'side-cover', 'L3'];
  it('is read as it is printed, ways round told by “or”, in whatever case', () => {
    for (const after of [[], [['lid']], [['lid', 'rail'], ['side-cover']], [['L3'], ['lid'], ['rail', 'L3']]])
      expect(parseAfter(printAfter(after), known)).toEqual(after);
    expect(parseAfter('Lid, l3 OR Rail', known)).toEqual([['lid', 'L3'], ['rail']]);
  });
  it.each(['lid, nothing', 'lid or', 'or', 'lid or , or rail'])('%s is not taken', (text) =>
    expect(parseAfter(text, known)).toBeNull(),
  );
});
