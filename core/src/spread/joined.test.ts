import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '../pack';
import { joinRecords, readScanCsv, writeScanCsv } from '../scan';
import { healthyPack, Random, simulateRecord } from '../simpack';
import { diagnose } from './diagnose';
import { spreadReport } from './report';

const pack = normalisePack(
  JSON.parse(
    readFileSync(new URL('../../../demo/packs/tarn-48v.json', import.meta.url), 'utf8'),
  ) as PackProfile,
);

it.each([6, 8, 9])(
  'of two rests of a pack the clock between them changes no verdict: what was drawn meanwhile leaves no lag (%i)',
  (seed) => {
    const rests = [0.9, 0.2].map((soc) => {
      const random = new Random(seed);
      const sim = healthyPack(pack, random);
      sim.startSoc = soc;
      sim.channels[4]!.deltaSoc -= 0.09;
      const still = simulateRecord(sim, [{ durationS: 600, currentA: 0, sampleS: 10 }], random);
      return readScanCsv(writeScanCsv(still, 3), pack);
    });
    const alone = rests.map((r) => spreadReport(r, pack).working!);
    // Taken in the same minute, which no pack can be emptied in; half a minute apart; an hour; a night.
    for (const apartS of [0, 30, 3600, 40_000]) {
      const joined = joinRecords(
        rests.map((record, i) => ({ record, startS: i * apartS, ...alone[i]! })),
        alone[0]!.capacityAh,
      );
      expect(diagnose(joined, pack).findings.map((f) => [f.channel, f.verdict])).toEqual([
        ['g05', 'imbalance'],
      ]);
    }
  },
);
