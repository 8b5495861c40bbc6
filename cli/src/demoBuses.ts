import { defaultOcvTable, type ModuleSpec, type PackProfile } from '@cellmend/core/pack';
import { linksOf, three, two } from './packParts';

/** One of a minibus's two packs: seven sets of three blocks, four cells in each block, in one row along the floor. */
export function minibus(): PackProfile {
  const modules: ModuleSpec[] = Array.from({ length: 7 }, (_, m) => ({
    id: `P${m + 1}`,
    channels: Array.from({ length: 12 }, (__, g) => `ch${two(12 * m + g + 1)}`),
    place: { tier: 0, row: m < 4 ? m : 7 - m, column: m < 4 ? 0 : 1 },
    massKg: 31,
  }));
  return {
    name: 'Skerra minibus pack',
    chemistry: 'lfp',
    ratedCapacityAh: 102,
    channels: Array.from({ length: 84 }, (_, i) => ({ id: `ch${two(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 0.9,
    ocv: defaultOcvTable('lfp'),
    ocvSource: 'typical, from memory',
    tiers: ['Under the floor'],
    links: linksOf(modules, 4),
    ratedRangeKm: 140,
    bleederMilliamp: 60,
  };
}

/** Island bus: 200 LFP groups, an 800 V class pack; modules of unequal size in two tiers. */
export function islandBus(): PackProfile {
  const sizes = [...Array.from({ length: 12 }, () => 12), ...Array.from({ length: 7 }, () => 8)];
  let next = 0;
  const modules: ModuleSpec[] = sizes.map((size, m) => {
    const lower = m < 12;
    const k = lower ? m : m - 12;
    const rows = lower ? 6 : 4;
    return {
      id: `M${two(m + 1)}`,
      channels: Array.from({ length: size }, () => `ch${three(++next)}`),
      place:
        k < rows
          ? { tier: lower ? 0 : 1, row: k, column: 0 }
          : { tier: lower ? 0 : 1, row: 2 * rows - 1 - k, column: 1 },
      massKg: size * 2.9,
    };
  });
  return {
    name: 'Skerra island bus pack',
    chemistry: 'lfp',
    ratedCapacityAh: 228,
    channels: Array.from({ length: 200 }, (_, i) => ({ id: `ch${three(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 0.42,
    ocv: defaultOcvTable('lfp'),
    ocvSource: 'typical, from memory',
    tiers: ['Floor tray', 'Roof of the tray'],
    links: linksOf(modules, 10),
    ratedRangeKm: 310,
    bleederMilliamp: 100,
  };
}
