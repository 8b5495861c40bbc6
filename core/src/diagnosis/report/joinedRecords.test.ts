import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '../../pack';
import { joinRecords, readScanCsv, type ScanRecord, writeScanCsv } from '../../scan';
import { healthyPack, Random, simulateRecord } from '../../simpack';
import { diagnose } from '../decide/diagnose';
import { spreadReport } from './report';

const pack = normalisePack(
  JSON.parse(
    readFileSync(new URL('../../../../demo/packs/tarn-48v.json', import.meta.url), 'utf8'),
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

const sticks = normalisePack(
  JSON.parse(
    readFileSync(new URL('../../../../demo/packs/ferry-shuttle.json', import.meta.url), 'utf8'),
  ) as PackProfile,
);

/** One row as it is typed off a scan tool. */
const typed = (volts: readonly number[], currentA: number): ScanRecord => {
  const at = (v: number) => ({ timeS: Float64Array.of(0), value: Float64Array.of(v) });
  return {
    channelIds: sticks.channels.map((c) => c.id),
    voltageV: volts.map(at),
    currentA: at(currentA),
    temperatureC: null,
    reportedSocFraction: null,
    simultaneous: true,
    notices: [],
  };
};
const blocks = (restV: number, sagV: number): number[] =>
  sticks.channels.map((_, i) =>
    Number((restV + 0.02 * Math.sin(3.1 * i) - (i === 3 ? sagV : sagV / 9)).toFixed(2)),
  );

it.each([1.2, 1.6, 2.1, 3])(
  'a block that falls %d V below the others under load never goes unsaid',
  (sagV) => {
    const two = [typed(blocks(15.9, 0.18), 0), typed(blocks(14.6, sagV), 48)];
    const alone = two.map((r) => spreadReport(r, sticks).working!);
    const joined = joinRecords(
      two.map((record, i) => ({ record, startS: 720 * i, ...alone[i]! })),
      alone[0]!.capacityAh,
    );
    for (const record of [joined, two[1]!]) {
      const told = diagnose(record, sticks).findings;
      expect(told.map((f) => f.channel)).toEqual(['b04']);
    }
  },
);

it('a block that sags where the others do not may be high in resistance, whatever else it may be', () => {
  // Common practice, no source: 0.3 to 0.5 V under load marks a block.
  for (const sagV of [0.5, 1.2, 2.1]) {
    const { findings } = diagnose(typed(blocks(14.6, sagV), 48), sticks);
    expect(findings).toMatchObject([{ channel: 'b04', verdict: 'undetermined' }]);
    expect(findings[0]!.alternatives.map((a) => a.verdict)).toContain('high-resistance');
  }
});

it('the same block in one record of a rest and a pull, with minutes between that nobody logged, is no wrong reading', () => {
  const timeS = Float64Array.of(0, 60, 720, 725);
  const rows = [blocks(15.9, 0), blocks(15.9, 0), blocks(14.6, 1.2), blocks(14.6, 1.2)];
  const record: ScanRecord = {
    ...typed(rows[0]!, 0),
    voltageV: sticks.channels.map((_, i) => ({ timeS, value: Float64Array.from(rows, (r) => r[i]!) })),
    currentA: { timeS, value: Float64Array.of(0, 0, 48, 48) },
  };
  const { findings, judged } = spreadReport(record, sticks);
  // A pull of 48 A all that time would have taken more than a pack of 6.5 A·h holds; the sag is what 12 cells of that kind have at once.
  expect(judged!.join(' ')).toMatch(/one under load, about 0 %/);
  expect(findings).toMatchObject([{ channel: 'b04', verdict: 'high-resistance' }]);
  expect(findings[0]!.seat).toBeUndefined();
});

it('a group past the empty end of the curve while the others are not is said to be, however little a fit sees of it', () => {
  const { findings } = diagnose(typed(blocks(14.6, 2.1), 0), sticks);
  expect(findings).toMatchObject([{ channel: 'b04', verdict: 'undetermined' }]);
  expect(findings[0]!.reasons.join(' ')).toMatch(
    /Down to 12\.\d\d V where the others read 14\.\d\d V: 1\.04 V a cell is past the empty end/,
  );
});
