import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { writeScanCsv } from '@cellmend/core/scan';
import {
  driveLegs,
  healthyPack,
  Random,
  simulateRecord,
  type Leg,
  type SimPack,
} from '@cellmend/core/simpack';
import {
  ferryShuttle,
  harbourLorry,
  islandBus,
  marramVan,
  mildHybrid,
  minibus,
  pilotCar,
  yardTug,
} from './demoPacks';

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
  const packs: Record<string, PackProfile> = {
    'marram-3-van': marramVan(),
    'tarn-48v': mildHybrid(),
    'ferry-shuttle': ferryShuttle(),
    'corrie-pilot': pilotCar(),
    'yard-tug': yardTug(),
    'island-bus': islandBus(),
    'harbour-lorry': harbourLorry(),
    minibus: minibus(),
  };
  for (const [name, profile] of Object.entries(packs))
    files[`packs/${name}.json`] = JSON.stringify(profile, null, 1) + '\n';
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
