import {
  defaultOcvTable,
  normalisePack,
  type LinkSpec,
  type ModuleSpec,
  type PackProfile,
} from '@cellmend/core/pack';
import { writeScanCsv } from '@cellmend/core/scan';
import {
  driveLegs,
  healthyPack,
  Random,
  simulateRecord,
  type Leg,
  type SimPack,
} from '@cellmend/core/simpack';

const two = (n: number): string => String(n).padStart(2, '0');
const three = (n: number): string => String(n).padStart(3, '0');

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
  const links: LinkSpec[] = modules
    .slice(1)
    .map((m, i) => ({
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
    links,
    limits: [
      { name: 'group voltage, highest', value: 4.2, unit: 'V', source: 'common practice', mark: 'T' },
      { name: 'group voltage, lowest', value: 2.8, unit: 'V', source: 'common practice', mark: 'T' },
    ],
    ratedRangeKm: 240,
    bleederMilliamp: 50,
    moduleRevision: 'C2',
  };
}

/** The van's pack as it really is: M07 worn, its third group most; M16 a little low; everything else even. */
function vanPack(seed: number): SimPack {
  const sim = healthyPack(normalisePack(marramVan()), new Random(seed), 0.91);
  sim.curveShiftSoc = 0.004;
  sim.startSoc = 0.945;
  const low = (channel: number, ratio: number): void => {
    const c = sim.channels[channel - 1]!;
    c.capacityRatio *= ratio;
    // Level with the others when full, as the vehicle balances at the top.
    c.deltaSoc -= (1 / ratio - 1) * (1 - sim.startSoc);
  };
  low(25, 0.95);
  low(26, 0.93);
  low(27, 0.86);
  low(28, 0.94);
  sim.channels[26]!.ohmicRatio = 1.25;
  sim.channels[26]!.slowRatio = 1.25;
  for (const c of [61, 62, 63, 64]) sim.channels[c - 1]!.deltaSoc -= 0.036;
  return sim;
}

/** Rest near full, a mixed drive to near empty, rest. */
function throughTheRange(random: Random, chargeAh: number): Leg[] {
  const sampleS = 20;
  return [
    { durationS: 900, currentA: 0, sampleS },
    ...driveLegs(random, 42, chargeAh, sampleS),
    { durationS: 2400, currentA: 0, sampleS },
  ];
}

/** Every demo file by its path within `demo/`. */
export function demoFiles(): Record<string, string> {
  const files: Record<string, string> = {};
  const before = vanPack(27);
  files['packs/marram-3-van.json'] = JSON.stringify(marramVan(), null, 1) + '\n';
  files['marram-3-before.csv'] = writeScanCsv(
    simulateRecord(before, throughTheRange(new Random(5), 76), new Random(11), 21),
    3,
  );
  const after = vanPack(27);
  const fresh = new Random(44);
  for (const c of [25, 26, 27, 28]) {
    Object.assign(after.channels[c - 1]!, {
      capacityRatio: 1.012 + fresh.normal(0.004),
      deltaSoc: fresh.normal(0.002),
      ohmicRatio: 0.98 + fresh.normal(0.01),
      slowRatio: 0.98,
      offsetV: fresh.normal(0.001),
    });
  }
  for (const c of [61, 62, 63, 64]) after.channels[c - 1]!.deltaSoc += 0.036;
  files['marram-3-after.csv'] = writeScanCsv(
    simulateRecord(after, throughTheRange(new Random(6), 78), new Random(12), 23),
    3,
  );
  return files;
}
