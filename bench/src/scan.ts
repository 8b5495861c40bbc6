import { DbcDecoder, parseDbc } from '@cellmend/core/can';
import { normalisePack } from '@cellmend/core/pack';
import { CsvScanReader, type ScanRecord } from '@cellmend/core/scan';
import { driveLegs, healthyPack, Random, simulateRecord } from '@cellmend/core/simpack';
import { spreadReport } from '@cellmend/core/diagnosis';
import { writeScanCsv } from '@cellmend/core/scan';
import candied from 'candied';
import Papa from 'papaparse';
import { yardTug } from '../../cli/src/demoPacks';
import { medianMs, ms, printTable, type Line } from './table';

// Ranges span the whole field, as the package clamps to them; its Motorola signals are compared where they start in
// the first byte (elsewhere it departs from the bit numbering that the unit tests follow bit by bit).
const DBC = `VERSION ""

NS_ :

BS_:

BU_: BMS

BO_ 1280 Cells: 8 BMS
 SG_ Cell1 : 0|13@1+ (0.001,0) [0|8.191] "V" BMS
 SG_ Cell2 : 13|13@1+ (0.001,0) [0|8.191] "V" BMS
 SG_ Cell3 : 26|13@1+ (0.001,0) [0|8.191] "V" BMS
 SG_ Temp : 48|8@1- (1,0) [-128|127] "C" BMS

BO_ 1281 Pack: 8 BMS
 SG_ Current : 7|16@0- (0.1,0) [-3276.8|3276.7] "A" BMS
 SG_ Volts : 16|16@1+ (0.1,0) [0|6553.5] "V" BMS
 SG_ Soc : 32|8@1+ (0.5,0) [0|127.5] "%" BMS
`;

/** A million frames decoded by ours and by the package, value by value. */
async function benchDbc(frames: number): Promise<Line[]> {
  const random = new Random(5);
  const data = Array.from({ length: 2000 }, () =>
    Uint8Array.from({ length: 8 }, () => random.integer(0, 255)),
  );
  const ids = data.map((_, i) => (i % 2 ? 1281 : 1280));
  const ours = new DbcDecoder(parseDbc(DBC));
  const dbc = new candied.Dbc();
  const can = new candied.Can();
  const loaded = dbc.load(DBC);
  can.database = loaded;
  let unequal = 0;
  let compared = 0;
  data.forEach((d, i) => {
    const theirs = can.decode(can.createFrame(ids[i]!, [...d], false))!.boundSignals;
    ours.decode(ids[i]!, false, d, (name, value) => {
      compared++;
      if (Math.abs((theirs.get(name)!.value as number) - value) > 1e-9) unequal++;
    });
  });
  let sum = 0;
  const oursMs = await medianMs(3, () => {
    for (let n = 0; n < frames; n++)
      ours.decode(ids[n % 2000]!, false, data[n % 2000]!, (_name, value) => (sum += value));
  });
  // The package is timed on a tenth and scaled: it needs no more to tell.
  const prepared = data.map((d, i) => can.createFrame(ids[i]!, [...d], false));
  const theirsMs =
    10 *
    (await medianMs(1, () => {
      for (let n = 0; n < frames / 10; n++) can.decode(prepared[n % 2000]!);
    }));
  return [
    {
      what: `DBC decoding, ${frames / 1e6} M frames (checksum ${Math.round(sum % 1000)})`,
      ours: ms(oursMs),
      against: `${ms(theirsMs)} candied`,
      ratio: `${(theirsMs / oursMs).toFixed(1)} × faster`,
      aim: '≥ 10 ×',
      met: theirsMs / oursMs >= 10,
    },
    {
      what: 'DBC values that differ from candied',
      ours: String(unequal),
      against: `${compared} compared`,
      ratio: '',
      aim: '0',
      met: unequal === 0,
    },
  ];
}

/** A ten-hour log of 100 channels at 1 Hz: reading against the CSV parser alone, diagnosis against the reading. */
async function benchCsv(): Promise<Line[]> {
  const pack = normalisePack(yardTug());
  const random = new Random(9);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.95;
  const legs = driveLegs(random, 8, 45, 1);
  const seconds = legs.reduce((s, l) => s + l.durationS, 0);
  if (seconds < 36000) legs.push({ durationS: 36000 - seconds, currentA: 0, sampleS: 1 });
  const text = writeScanCsv(simulateRecord(sim, legs, random), 3);
  const rows = text.split('\n').length - 2;
  let record: ScanRecord | null = null;
  const alone = await medianMs(
    3,
    () => Papa.parse<string[]>(text, { delimiter: ',', fastMode: true }).data.length,
  );
  const ours = await medianMs(3, () => {
    const reader = new CsvScanReader(pack);
    for (let i = 0; i < text.length; i += 1 << 18) reader.push(text.slice(i, i + (1 << 18)));
    record = reader.finish();
  });
  const diagnosis = await medianMs(5, () => spreadReport(record!, pack));
  const name = `${rows} rows × 100 channels, ${(text.length / 1e6).toFixed(0)} MB`;
  return [
    {
      what: `reading and mapping a CSV, ${name}`,
      ours: ms(ours),
      against: `${ms(alone)} the CSV parser alone`,
      ratio: `${(ours / alone).toFixed(2)} ×`,
      aim: '≤ 1.5 ×',
      met: ours <= 1.5 * alone,
    },
    {
      what: 'full diagnosis of that file',
      ours: ms(diagnosis),
      against: `${ms(ours)} to read it`,
      ratio: `${(diagnosis / ours).toFixed(2)} ×`,
      aim: '≤ 1 ×',
      met: diagnosis <= ours,
    },
  ];
}

export async function benchScan(): Promise<void> {
  printTable('Scan', [...(await benchDbc(1_000_000)), ...(await benchCsv())]);
}
