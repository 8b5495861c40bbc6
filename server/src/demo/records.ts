import type { TypedScan } from '@cellmend/contract/scans';
import type { DecisionBodyInput } from '@cellmend/contract/decisions';
import type { NewRun } from '@cellmend/contract/bench';
import type { NewReading } from '@cellmend/contract/records';
import type { InsulationObservation } from '@cellmend/core/insulation';
import type { Measure } from '@cellmend/core/route';
import { addReadRun } from '../bench/course';
import { addRun, readRun } from '../bench/service';
import { sign } from '../decisions/service';
import type { Doing, Store } from '../domain/store';
import { addInsulation } from '../insulation/service';
import { findJob } from '../jobs/find';
import { addReading } from '../records/service';
import { readTyped, storeScan } from '../scans/service';

/** What was done in the demo depot's jobs before anybody looks: invented, like everything there. */
const HOUR_MS = 3_600_000;
const scatter = (i: number): number => (((i * 7919) % 17) - 8) / 4000;

interface Begun {
  job: number;
  intake: Partial<Extract<DecisionBodyInput, { topic: 'intake' }>>;
  records: { hoursAgo: number; typed: Omit<TypedScan, 'observedAt' | 'role' | 'how'> }[];
  runs?: { hoursAgo: number; run: Omit<NewRun, 'observedAt'> }[];
  /** Logged discharges of one module, newest last: what each gave, and where cells of it ran empty, A·h. */
  logs?: { place: string; hoursAgo: number; capacityAh: number; emptyAh: number[] }[];
  seen?: Pick<Extract<InsulationObservation, { kind: 'seen' }>, 'module' | 'evidence' | 'degree'>[];
  measures?: [kind: Measure['kind'], place: string, why: string][];
  readings: Pick<NewReading, 'kind' | 'place' | 'value' | 'text' | 'conditions' | 'stage'>[];
}

/** A discharge of a stick at 6 A as its charger logs it: each cell that runs empty is a step. */
function discharge(capacityAh: number, emptyAh: readonly number[]): string {
  const rows = ['time_s,voltage_V,current_A,temp_C'];
  for (let t = 0; ; t += 10) {
    const ah = (6 * t) / 3600;
    const cell = (endAh: number): number => 1.32 - 0.09 * (ah / endAh) - 1.25 / (1 + Math.exp((endAh - ah) / 0.02));
    const cells = Array.from({ length: 6 }, (_, k) => cell(emptyAh[k] ?? capacityAh + 0.04 * (k % 3)));
    const volts = cells.reduce((s, v) => s + Math.max(-0.2, v), 0) - 6 * 0.01;
    rows.push(`${t},${volts.toFixed(3)},6.0,${(24 + 11 * (ah / capacityAh)).toFixed(1)}`);
    if (volts < 5.2 || ah > 9) return rows.join('\n');
  }
}

/** A yard tug that stands flat on Mondays: two rests a day apart, one channel that falls behind. */
const standing = (fallenV: number, lowV: number): (number | null)[] =>
  Array.from({ length: 100 }, (_, i) => Number((3.792 - fallenV + scatter(i) - (i === 52 ? lowV : 0)).toFixed(4)));
/** Blocks of a hybrid, at rest and under load: the fourth sags. */
const blocks = (restV: number, sagV: number): number[] =>
  Array.from({ length: 14 }, (_, i) => Number((restV + 8 * scatter(i) - (i === 3 ? sagV : sagV / 9)).toFixed(2)));

/** A lorry whose second module of the lower tier runs empty first: level when full, below the others when empty. */
const lorry = (cellV: number, lowV: readonly number[]): number[] =>
  Array.from({ length: 72 }, (_, i) => Number((cellV + scatter(i) - (lowV[i - 6] ?? 0)).toFixed(3)));

const BEGUN: Begun[] = [
  {
    job: 141,
    intake: { complaint: 'Full in the morning, limps home on the second round.', signs: ['drops at low charge', 'short range'], odometerKm: 88_300, ageYears: 7 },
    records: [
      { hoursAgo: 21, typed: { end: 'near-full', volts: lorry(4.118, []), currentA: 0, temperatureC: 19 } },
      { hoursAgo: 4, typed: { end: 'near-empty', volts: lorry(3.372, [0.061, 0.068, 0.142, 0.07, 0.064, 0.058]), currentA: 0, temperatureC: 18 } },
    ],
    measures: [['replace-module', 'M02', 'lowest of all when nearly empty, level when full']],
    readings: [
      { kind: 'note', place: 'M02', value: null, text: 'In the middle of the lower tier. Is the way in from the side shorter than the upper tier off?', conditions: '', stage: 'findings' },
    ],
  },
  {
    job: 142,
    intake: { complaint: 'Stood in the storm tide over its rear right wheel; insulation warning since.', signs: ['flood or jet-wash', 'insulation warning'], codes: ['P0AA6'], codesRead: true, odometerKm: 41_900, ageYears: 4 },
    records: [
      { hoursAgo: 6, typed: { end: 'unknown', volts: Array.from({ length: 72 }, (_, i) => Number((3.684 + scatter(i)).toFixed(3))), currentA: 0, temperatureC: 12 } },
    ],
    seen: [
      { module: 'M04', evidence: 'water line', degree: 'heavy' },
      { module: 'M03', evidence: 'water line', degree: 'clear' },
      { module: 'M05', evidence: 'water line', degree: 'clear' },
      { module: 'M10', evidence: 'water line', degree: 'slight' },
      { module: 'M12', evidence: 'clean and dry' },
    ],
    measures: [
      ['replace-board', 'SB2', 'residue over its plug'],
      ['replace-module', 'M04', 'water line to the terminals'],
      ['dry', 'M03', 'wet'],
      ['dry', 'M05', 'wet'],
      ['dry', 'M10', 'damp at its foot'],
      ['seal', 'V2, rear right', 'where it came in'],
    ],
    readings: [
      { kind: 'note', place: 'M04', value: null, text: 'Looked at by another workshop with the lid off: tide mark to the bus-bar, white salt. They closed it and sent it here.', conditions: '', stage: 'intake' },
    ],
  },
  {
    job: 143,
    intake: { signs: ['flat after standing'], complaint: 'Flat after every weekend.', odometerKm: 18_240, ageYears: 6 },
    records: [
      { hoursAgo: 31, typed: { end: 'unknown', volts: standing(0, 0.006), currentA: 0, temperatureC: 17 } },
      { hoursAgo: 5.5, typed: { end: 'unknown', volts: standing(0.0011, 0.023), currentA: 0, temperatureC: 16 } },
    ],
    readings: [
      { kind: 'note', place: '', value: null, text: 'Charger unplugged Friday 17:10, 12 V supply off. Third scan after the next shift.', conditions: '', stage: 'scan' },
    ],
  },
  {
    job: 138,
    intake: { complaint: 'Battery lamp after every ramp; fan runs all the time.',
      signs: ['battery warning', 'limps under load'], odometerKm: 203_400, ageYears: 11 },
    records: [
      { hoursAgo: 50, typed: { end: 'unknown', volts: blocks(15.9, 0.18), currentA: 0, temperatureC: 24 } },
      { hoursAgo: 49.8, typed: { end: 'unknown', volts: blocks(14.6, 2.1), currentA: 48, temperatureC: 27 } },
    ],
    runs: [
      ...[2.2, 3.1, 3.9].map((capacityAh, k) => ({ hoursAgo: 60 - 14 * k, run: { place: 'S07', recipe: 'slow-balance' as const, capacityAh, currentA: 6, hottestC: 34 + 2 * k } })),
      ...[2.1, 2.2, 2.2].map((capacityAh, k) => ({ hoursAgo: 58 - 14 * k, run: { place: 'S10', recipe: 'capacity' as const, capacityAh, currentA: 6, hottestC: 41 + k } })),
      { hoursAgo: 44, run: { place: 'S08', recipe: 'capacity', capacityAh: 5.6, currentA: 6, hottestC: 33 } },
      { hoursAgo: 30, run: { place: 'S09', recipe: 'capacity', capacityAh: 5.4, currentA: 6, hottestC: 32 } },
      { hoursAgo: 9, run: { place: 'S12', recipe: 'capacity', capacityAh: 3.4, complete: false, currentA: 6, hottestC: 31, note: 'Fuse of the socket went.' } },
    ],
    logs: [
      { place: 'S11', hoursAgo: 50, capacityAh: 2.9, emptyAh: [1.4, 1.9] },
      { place: 'S11', hoursAgo: 33, capacityAh: 3.8, emptyAh: [2.6] },
      { place: 'S11', hoursAgo: 6, capacityAh: 4.7, emptyAh: [] },
    ],
    readings: [
      { kind: 'note', place: 'S07', value: null, text: 'Warm at the end of charge, 38 °C; fan moved closer.', conditions: '', stage: 'bench' },
    ],
  },
  {
    job: 139,
    intake: { complaint: 'Range fell by a third in two winters; the owner wants every set measured.', signs: ['short range'], odometerKm: 96_100, ageYears: 8 },
    records: [
      { hoursAgo: 27, typed: { end: 'unknown', volts: Array.from({ length: 84 }, (_, i) => Number((3.331 + scatter(i) / 2).toFixed(3))), currentA: 0, temperatureC: 15 } },
    ],
    measures: [['condition', 'P1', 'every set is measured and brought level'], ...['P2', 'P3', 'P4', 'P5', 'P6', 'P7'].map((p): [Measure['kind'], string, string] => ['condition', p, 'as P1'])],
    readings: [],
  },
  {
    job: 140,
    intake: { complaint: 'As its sister: every set to be measured before the school year.', signs: ['short range'], odometerKm: 88_700, ageYears: 8 },
    records: [],
    measures: ['P1', 'P2', 'P3', 'P4', 'P5', 'P6', 'P7'].map((p): [Measure['kind'], string, string] => ['condition', p, 'every set is measured and brought level']),
    readings: [],
  },
  {
    job: 145,
    intake: { complaint: 'Left with its lights on over the closing week; the tool shows three modules at 0 V.', signs: ['will not wake', 'flat 12 V battery'], odometerKm: 54_300, ageYears: 6 },
    records: [],
    measures: [['recover', 'M11', 'the only one above the floor of scrap'], ['replace-module', 'M05', 'empty to nothing'], ['replace-module', 'M08', 'empty to nothing']],
    readings: [
      { kind: 'voltage', place: 'M05', value: 0.12, text: '', conditions: 'rest', stage: 'intake' },
      { kind: 'voltage', place: 'M08', value: 0.31, text: '', conditions: 'rest', stage: 'intake' },
      { kind: 'voltage', place: 'M11', value: 10.2, text: '', conditions: 'rest', stage: 'intake' },
      { kind: 'note', place: 'M11', value: null, text: 'Last seen in order nine days ago. Flat, dry, no smell. All three are clipped up in the yard, away from the hall.', conditions: '', stage: 'intake' },
    ],
  },
  {
    job: 146,
    intake: { complaint: 'Start-stop gone since a flat 12 V battery.', odometerKm: 61_800, ageYears: 4, codes: ['P0A1F'], codesRead: true, signs: ['will not wake'] },
    records: [
      { hoursAgo: 3, typed: { end: 'near-empty', volts: Array.from({ length: 14 }, (_, i) => Number((3.28 + scatter(i)).toFixed(3))), currentA: 0, temperatureC: 14 } },
    ],
    readings: [
      { kind: 'note', place: '', value: null, text: '12 V battery changed twice by another workshop, in March and in May; the lamp came back each time.', conditions: '', stage: 'intake' },
    ],
  },
];

/** Fills the demo's jobs with the work that was begun, by the same services that a person's entries go through. */
export async function addDemoRecords(store: Store): Promise<void> {
  const person = (await store.models.Person.findOne({ where: { name: 'Tomas Rook', demo: true } }))!;
  const doing = async (work: (doing: Doing) => Promise<unknown>): Promise<void> => {
    const after: (() => void)[] = [];
    await store.sequelize.transaction((tx) => work({ tx, person, after }));
    for (const begin of after) begin();
  };
  for (const { job: number, intake, records, readings, runs = [], logs = [], seen = [], measures = [] } of BEGUN) {
    const body: DecisionBodyInput = {
      topic: 'intake', complaint: '', signs: [], codes: [], odometerKm: null, ageYears: null, deltaMv: null,
      insulationOhm: null, aim: 'restore', ...intake,
    };
    await doing((d) => sign(store, d, number, { body, baseVersion: 0 }));
    for (const { hoursAgo, typed } of records) {
      const found = await findJob(store, number);
      const observedAt = new Date(Date.now() - hoursAgo * HOUR_MS).toISOString();
      const read = await readTyped({ ...typed, role: 'before', how: 'typed', observedAt }, found.profile, {});
      await doing((d) => storeScan(store, d, found, read.name, 'before', read)).finally(read.discard);
    }
    for (const observation of seen) {
      const found = await findJob(store, number);
      await doing((d) => addInsulation(store, d, found.job, found.profile, { observation: { kind: 'seen', ...observation } }));
    }
    const list = measures.map(([kind, place, why], i) => ({ id: `m${i + 1}`, kind, place, why, closed: false, dropped: '' }));
    if (list.length > 0)
      await doing((d) => sign(store, d, number, { body: { topic: 'measures', measures: list }, baseVersion: 0 }));
    for (const { hoursAgo, run } of runs)
      await doing((d) => addRun(store, d, number, { ...run, observedAt: new Date(Date.now() - hoursAgo * HOUR_MS).toISOString() }));
    for (const { place, hoursAgo, capacityAh, emptyAh } of logs) {
      const query = { place, recipe: 'hard-charge', cutoffV: 5.4, name: `charger 2, ${place}.csv`, observedAt: new Date(Date.now() - hoursAgo * HOUR_MS).toISOString() };
      const read = await readRun(store, person.id, number, query, discharge(capacityAh, emptyAh), AbortSignal.timeout(60_000));
      await doing((d) => addReadRun(store, d, number, read));
    }
    for (const reading of readings)
      await doing((d) => addReading(store, d, number, { ...reading, observedAt: new Date(Date.now() - HOUR_MS).toISOString() }));
  }
}
