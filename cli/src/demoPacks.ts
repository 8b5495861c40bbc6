import { defaultOcvTable, type LinkSpec, type ModuleSpec, type PackProfile } from '@cellmend/core/pack';
import { linksOf, three, two } from './packParts';

export { islandBus, minibus } from './demoBuses';

/** Battery-electric post van of the invented Marram works: 96 groups, 24 modules of four, lower and upper tier. */
export function marramVan(): PackProfile {
  const modules: ModuleSpec[] = [];
  for (let m = 1; m <= 24; m++) {
    // The string runs down the left of the lower tier, back up its right, then the same in the upper tier.
    const lower = m <= 16;
    const k = lower ? m - 1 : m - 17;
    const rows = lower ? 8 : 4;
    const place =
      k < rows
        ? { tier: lower ? 0 : 1, row: k, column: 0 }
        : { tier: lower ? 0 : 1, row: 2 * rows - 1 - k, column: 1 };
    modules.push({
      id: `M${two(m)}`,
      channels: [0, 1, 2, 3].map((g) => `ch${three((m - 1) * 4 + g + 1)}`),
      place,
      massKg: 11.5,
    });
  }
  const links: LinkSpec[] = modules.slice(1).map((m, i) => ({
    id: `L${i + 1}`,
    between: [modules[i]!.id, m.id],
    kind: i === 7 ? 'service-disconnect' : i === 15 ? 'cable' : 'busbar',
    accessMin: i === 7 ? 1 : 6,
  }));
  return {
    name: 'Marram 3 traction pack',
    chemistry: 'nmc',
    ratedCapacityAh: 117,
    channels: Array.from({ length: 96 }, (_, i) => ({ id: `ch${three(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 0.62,
    ocv: defaultOcvTable('nmc'),
    ocvSource: 'Half-cell functions of Chen et al. 2020, coefficients from memory',
    tiers: ['Lower tier', 'Upper tier, lifted off'],
    boards: Array.from({ length: 8 }, (_, b) => ({
      id: `SB${b + 1}`,
      channels: Array.from({ length: 12 }, (_, c) => `ch${three(12 * b + c + 1)}`),
    })),
    body: {
      massKg: 386,
      sizeMm: [1920, 1210, 310],
      lifting: 'Six points; the upper tier stands over the rear axle: it hangs tail-heavy.',
    },
    links,
    limits: [
      { key: 'cellFullV', value: 4.2, unit: 'V', source: 'common practice', mark: 'T' },
      { key: 'cellEmptyV', value: 2.8, unit: 'V', source: 'common practice', mark: 'T' },
    ],
    ratedRangeKm: 240,
    bleederMilliamp: 50,
    busCapacitanceF: 0.9e-3,
    busBleederOhm: 100e3,
    preChargeOhm: 33,
    moduleRevision: 'C2',
  };
}

/** Mild hybrid of the service van: 14 groups at 48 V, two modules of seven. */
export function mildHybrid(): PackProfile {
  const modules: ModuleSpec[] = [1, 2].map((m) => ({
    id: `M${m}`,
    channels: Array.from({ length: 7 }, (_, g) => `g${two((m - 1) * 7 + g + 1)}`),
    place: { tier: 0, row: m - 1, column: 0 },
    massKg: 5,
  }));
  return {
    name: 'Tarn service van 48 V pack',
    chemistry: 'nmc',
    ratedCapacityAh: 11,
    channels: Array.from({ length: 14 }, (_, i) => ({ id: `g${two(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 2.1,
    ocv: defaultOcvTable('nmc'),
    ocvSource: 'Chen et al. 2020, coefficients from memory',
    links: linksOf(modules, 1),
    bleederMilliamp: 30,
  };
}

/** Hybrid of the ferry shuttle: 28 NiMH sticks of six cells, sensed in 14 blocks of two. */
export function ferryShuttle(): PackProfile {
  const modules: ModuleSpec[] = Array.from({ length: 28 }, (_, m) => ({
    id: `S${two(m + 1)}`,
    groups: Array.from({ length: 6 }, (__, c) => `b${two(Math.floor(m / 2) + 1)}.${(m % 2) * 6 + c + 1}`),
    place: { tier: 0, row: m < 14 ? 0 : 1, column: m < 14 ? m : 27 - m },
    massKg: 1.04,
  }));
  return {
    name: 'Ferry shuttle hybrid pack',
    chemistry: 'nimh',
    ratedCapacityAh: 6.5,
    channels: Array.from({ length: 14 }, (_, i) => ({ id: `b${two(i + 1)}`, cells: 12 })),
    modules,
    nominalGroupResistanceMilliohm: 24,
    ocv: defaultOcvTable('nimh'),
    ocvSource: 'typical, from memory',
    tiers: ['Sticks, seen from the rear seat'],
    links: linksOf(modules, 19),
    limits: [{ key: 'blockSpreadLoadV', value: 0.5, unit: 'V', source: 'common practice', mark: 'T' }],
  };
}

/** Plug-in hybrid pilot car: 84 groups in 12 modules of seven. */
export function pilotCar(): PackProfile {
  const modules: ModuleSpec[] = Array.from({ length: 12 }, (_, m) => ({
    id: `M${two(m + 1)}`,
    channels: Array.from({ length: 7 }, (__, g) => `ch${two(m * 7 + g + 1)}`),
    place: { tier: 0, row: m < 6 ? m : 11 - m, column: m < 6 ? 0 : 1 },
    massKg: 9.2,
  }));
  return {
    name: 'Corrie pilot car plug-in pack',
    chemistry: 'nmc',
    ratedCapacityAh: 37,
    channels: Array.from({ length: 84 }, (_, i) => ({ id: `ch${two(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 1.3,
    ocv: defaultOcvTable('nmc'),
    ocvSource: 'Chen et al. 2020, coefficients from memory',
    tiers: ['Tunnel tray'],
    links: linksOf(modules, 6),
    entries: [
      { id: 'V1, front left', kind: 'valve', place: { tier: 0, row: 0, column: 0 } },
      { id: 'V2, rear right', kind: 'valve', place: { tier: 0, row: 5, column: 1 } },
      { id: 'F3, left, behind the wheel', kind: 'bolt', place: { tier: 0, row: 3, column: 0 } },
      { id: 'seam, rear', kind: 'cover', place: { tier: 0, row: 5, column: 0 } },
      { id: 'plug of the charger', kind: 'connector', place: { tier: 0, row: 0, column: 1 } },
    ],
    body: {
      massKg: 148,
      sizeMm: [1450, 620, 240],
      lifting: 'Four eyes at the corners; it hangs 60 mm nose-heavy. Table under rows 2 and 5.',
      before: [
        'Earth straps left and right, ten threads that rust: oil the evening before.',
        'Coolant joints, both caught and plugged.',
        'Signal plugs, then the charger’s plug.',
        'Fourteen bolts, the rear two last; captive nuts at the left rear turn with the bolt.',
      ],
    },
    limits: [
      { key: 'moduleInsulationOhm', value: 20e6, unit: 'Ω', source: 'the maker', mark: 'maker' },
      { key: 'vehicleWarnOhm', value: 195e3, unit: 'Ω', source: 'the maker', mark: 'maker' },
      { key: 'vehicleStopOhm', value: 50e3, unit: 'Ω', source: 'the maker', mark: 'maker' },
      { key: 'testVoltageMostV', value: 1000, unit: 'V', source: 'the maker', mark: 'maker' },
    ],
    ratedRangeKm: 52,
    bleederMilliamp: 60,
    busCapacitanceF: 1.1e-3,
    busBleederOhm: 82e3,
    preChargeOhm: 40,
  };
}

/** Yard tug: 100 groups; modules of six below, of eight and four above. */
export function yardTug(): PackProfile {
  const sizes = [...Array.from({ length: 12 }, () => 6), 8, 8, 8, 4];
  let next = 0;
  const modules: ModuleSpec[] = sizes.map((size, m) => {
    const place =
      m < 12
        ? { tier: 0, row: m < 6 ? m : 11 - m, column: m < 6 ? 0 : 1 }
        : { tier: 1, row: m < 14 ? m - 12 : 15 - m, column: m < 14 ? 0 : 1 };
    return {
      id: `M${two(m + 1)}`,
      channels: Array.from({ length: size }, () => `ch${three(++next)}`),
      place,
      massKg: Math.round(size * 1.9),
    };
  });
  return {
    name: 'Fell yard tug pack',
    chemistry: 'nca',
    ratedCapacityAh: 64,
    channels: Array.from({ length: 100 }, (_, i) => ({ id: `ch${three(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 0.95,
    ocv: defaultOcvTable('nca'),
    ocvSource: 'Chen et al. 2020 in place of the maker’s table',
    tiers: ['Floor', 'Under the seat'],
    links: linksOf(modules, 12),
    ratedRangeKm: 120,
    bleederMilliamp: 40,
  };
}

/**
 * Harbour lorry: 72 groups in twelve modules, two tiers of six. The middle of the lower tier comes out from above, with the
 * upper tier lifted as one, or from the side once its rail and cover are off.
 */
export function harbourLorry(): PackProfile {
  const modules: ModuleSpec[] = Array.from({ length: 12 }, (_, m) => {
    const [tier, k] = m < 6 ? [0, m] : [1, m - 6];
    return {
      id: `M${two(m + 1)}`,
      channels: Array.from({ length: 6 }, (__, g) => `ch${two(6 * m + g + 1)}`),
      place: { tier, row: k < 3 ? k : 5 - k, column: k < 3 ? 0 : 1 },
      massKg: 14.5,
    };
  });
  const links = linksOf(modules, 6);
  const ids = (from: number, to: number): string[] => modules.slice(from - 1, to).map((m) => m.id);
  const closed = ['lid', 'management-plug'];
  const endsOf = (id: string): string[] => links.filter((l) => l.between.includes(id)).map((l) => l.id);
  return {
    name: 'Skerra harbour lorry pack',
    chemistry: 'nmc',
    ratedCapacityAh: 94,
    channels: Array.from({ length: 72 }, (_, i) => ({ id: `ch${two(i + 1)}`, cells: 1 })),
    modules,
    nominalGroupResistanceMilliohm: 0.74,
    ocv: defaultOcvTable('nmc'),
    ocvSource: 'Chen et al. 2020, coefficients from memory',
    tiers: ['Lower tier', 'Upper tier, on its carrier'],
    links,
    boards: Array.from({ length: 6 }, (_, b) => ({
      id: `SB${b + 1}`,
      channels: Array.from({ length: 12 }, (__, c) => `ch${two(12 * b + c + 1)}`),
    })),
    build: [
      {
        id: 'lid',
        kind: 'lid',
        name: 'Lid',
        minutes: 18,
        tool: 'torx 30',
        after: [['L6']],
        over: ids(1, 12),
        singleUse: ['lid seal'],
        torqueNm: 9,
        caution: 'Clean it before it is opened.',
      },
      {
        id: 'management-plug',
        kind: 'sense-plug',
        name: 'Management plug',
        minutes: 2,
        after: [['lid']],
        stages: ['pushed in until it clicks', 'lever over'],
      },
      ...links
        .filter((l) => l.kind !== 'service-disconnect')
        .map((l) => ({
          id: l.id,
          kind: 'link' as const,
          name: `Bus-bar ${l.id}`,
          minutes: 4,
          tool: 'insulated 10 mm',
          after: [[...closed, 'L6']],
          torqueNm: 11,
          caution: 'Cap both ends before the next tool is picked up.',
        })),
      {
        id: 'coolant-upper',
        kind: 'coolant',
        name: 'Coolant joint, upper tier',
        minutes: 8,
        tool: 'clamp tool',
        after: [[...closed]],
        over: ids(7, 9),
        singleUse: ['coolant joint ring'],
        caution: 'Caught and plugged: none of it over a module.',
      },
      {
        id: 'carrier',
        kind: 'bracket',
        name: 'Upper carrier with its six modules',
        minutes: 25,
        tool: 'torx 40',
        massKg: 98,
        after: [[...closed, 'coolant-upper', 'L5', 'L6', 'L7', 'L8', 'L9', 'L10', 'L11']],
        over: ids(7, 12),
        torqueNm: 24,
      },
      {
        id: 'side-rail',
        kind: 'bracket',
        name: 'Side rail, left',
        minutes: 22,
        tool: 'torx 40',
        massKg: 11,
        after: [[...closed]],
        over: ids(1, 3),
        torqueNm: 24,
      },
      {
        id: 'side-cover',
        kind: 'cover',
        name: 'Side cover, left',
        minutes: 9,
        tool: 'torx 30',
        after: [['side-rail']],
        over: ids(1, 3),
        singleUse: ['side cover seal'],
      },
      {
        id: 'clamp-lower',
        kind: 'clamp',
        name: 'Clamp plate, lower tier',
        minutes: 10,
        tool: 'torx 40',
        after: [
          ['carrier', 'L1', 'L2', 'L3', 'L4', 'L5'],
          ['side-cover', 'L1', 'L2'],
        ],
        over: ids(1, 6),
        torqueNm: 18,
      },
      ...modules.map((m) => ({
        id: m.id,
        kind: 'module' as const,
        minutes: m.place!.tier === 0 ? 7 : 5,
        tool: 'torx 30',
        massKg: 14.5,
        after:
          m.place!.tier === 1
            ? [[...closed, 'coolant-upper', ...endsOf(m.id)]]
            : m.place!.column === 0
              ? [
                  ['carrier', 'clamp-lower', ...endsOf(m.id)],
                  ['side-cover', 'clamp-lower', ...endsOf(m.id)],
                ]
              : [['carrier', 'clamp-lower', ...endsOf(m.id)]],
        torqueNm: 8,
      })),
    ],
    entries: [
      { id: 'V1, front right', kind: 'valve', place: { tier: 0, row: 0, column: 1 } },
      { id: 'V2, rear right', kind: 'valve', place: { tier: 0, row: 2, column: 1 } },
      { id: 'seam of the side cover', kind: 'cover', place: { tier: 0, row: 1, column: 0 } },
      { id: 'coolant joint', kind: 'coolant', place: { tier: 1, row: 0, column: 0 } },
    ],
    body: {
      massKg: 262,
      sizeMm: [1320, 980, 420],
      lifting:
        'Four eyes on the carrier rails; level when the upper tier is full, 40 mm tail-heavy without it.',
      before: [
        'Earth straps front and rear.',
        'Coolant lines, both caught and plugged.',
        'Signal plug, then the two power plugs: each lever over, then out.',
        'Twelve bolts; the rear left pair turns with its captive nut.',
      ],
    },
    ratedRangeKm: 165,
    bleederMilliamp: 60,
    busCapacitanceF: 1.0e-3,
    busBleederOhm: 90e3,
    preChargeOhm: 36,
    moduleRevision: 'H1',
  };
}
