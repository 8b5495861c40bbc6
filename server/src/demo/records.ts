import type { TypedScan } from '@cellmend/contract/scans';
import type { DecisionBodyInput } from '@cellmend/contract/decisions';
import type { NewReading } from '@cellmend/contract/records';
import { sign } from '../decisions/service';
import type { Doing, Store } from '../domain/store';
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
  readings: Pick<NewReading, 'kind' | 'place' | 'value' | 'text' | 'conditions' | 'stage'>[];
}

/** A yard tug that stands flat on Mondays: two rests a day apart, one channel that falls behind. */
const standing = (fallenV: number, lowV: number): (number | null)[] =>
  Array.from({ length: 100 }, (_, i) => Number((3.792 - fallenV + scatter(i) - (i === 52 ? lowV : 0)).toFixed(4)));
/** Blocks of a hybrid, at rest and under load: the fourth sags. */
const blocks = (restV: number, sagV: number): number[] =>
  Array.from({ length: 14 }, (_, i) => Number((restV + 8 * scatter(i) - (i === 3 ? sagV : sagV / 9)).toFixed(2)));

const BEGUN: Begun[] = [
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
    readings: [
      { kind: 'capacity', place: 'S07', value: 2.2, text: '', conditions: 'first cycle', stage: 'bench' },
      { kind: 'capacity', place: 'S07', value: 3.9, text: '', conditions: 'second cycle', stage: 'bench' },
      { kind: 'capacity', place: 'S08', value: 4.8, text: '', conditions: 'first cycle', stage: 'bench' },
      { kind: 'note', place: 'S07', value: null, text: 'Warm at the end of charge, 38 °C; fan moved closer.', conditions: '', stage: 'bench' },
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
  for (const { job: number, intake, records, readings } of BEGUN) {
    const body: DecisionBodyInput = {
      topic: 'intake', complaint: '', signs: [], codes: [], odometerKm: null, ageYears: null, deltaMv: null,
      insulationOhm: null, aim: 'restore', ...intake,
    };
    await doing((d) => sign(store, d, number, { body, baseVersion: 0 }));
    for (const { hoursAgo, typed } of records) {
      const found = await findJob(store, number);
      const observedAt = new Date(Date.now() - hoursAgo * HOUR_MS).toISOString();
      const read = await readTyped({ ...typed, role: 'before', how: 'typed', observedAt }, found.profile, {});
      await doing((d) => storeScan(store, d, found, read.name, 'before', read, null)).finally(read.discard);
    }
    for (const reading of readings)
      await doing((d) => addReading(store, d, number, { ...reading, observedAt: new Date(Date.now() - HOUR_MS).toISOString() }));
  }
}
