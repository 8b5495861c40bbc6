import { SpanSchema } from '@cellmend/contract/fields';
import type { Run, RunData, RunPart } from '@cellmend/contract/bench';
import { stretchOf, Stretches, windowOf } from '@cellmend/core/scan';
import { promisify } from 'node:util';
import { gunzip } from 'node:zlib';
import { QueryTypes, type Transaction } from 'sequelize';
import { notFound } from '../domain/refusal';
import type { Doing, Store } from '../domain/store';
import { findJob } from '../jobs/find';
import { readingsOf, runCourse, storeCourse } from '../scans/courses';
import { keepRun, readLogged, type ReadRun } from './service';

const unzip = promisify(gunzip);

/** The file of a run, and its readings so that any part of it can be looked at. */
export async function keepRunFile(
  store: Store,
  tx: Transaction,
  { data: { sha256 }, bytes, readings }: Pick<ReadRun, 'data' | 'bytes' | 'readings'>,
): Promise<void> {
  await store.sequelize.query(
    'INSERT INTO run_files (sha256, bytes) VALUES ($1, $2) ON CONFLICT (sha256) DO NOTHING',
    { bind: [sha256, bytes], transaction: tx },
  );
  await storeRunCourse(store, tx, sha256!, readings);
}
async function storeRunCourse(
  store: Store,
  tx: Transaction | null,
  sha256: string,
  readings: Record<string, Float64Array>,
): Promise<void> {
  for (const [signal, values] of Object.entries(readings)) {
    const stretches = new Stretches();
    stretches.take(values);
    await storeCourse(store, tx, sha256, signal, stretches, values);
  }
}

/** Part of a run: its readings, or of each stretch the lowest and the highest, as fine as a screen shows. @throws 404 */
export async function viewCourse(
  store: Store,
  number: unknown,
  id: string,
  query: unknown,
  person: string,
): Promise<RunPart> {
  const { fromS = -Infinity, toS = Infinity } = SpanSchema.parse(query);
  const { job, profile } = await findJob(store, number);
  const row = await store.models.Observation.findOne({
    where: { id, jobId: job.id, topic: 'bench', kind: 'run' },
  });
  const data = row?.data as RunData | undefined;
  if (!row || !data?.sha256) throw notFound('That run');
  const { sha256 } = data;
  let count = await readingsOf(store, sha256, 'time');
  if (count === null) {
    // One from before courses were kept: read once more.
    const text = String(await runFile(store, id));
    const read = await readLogged(
      profile,
      { place: row.subject, recipe: data.recipe, cutoffV: data.cutoffV ?? 0, name: '' },
      text,
      'file',
      { person },
    );
    await storeRunCourse(store, null, sha256, read.readings);
    count = read.readings.time!.length;
  }
  const reader = runCourse(store, sha256, count);
  const window = await windowOf(reader, 'time', fromS, toS);
  const of = async (signal: string): Promise<(number | null)[]> =>
    Array.from(await reader.read(signal, window.level, window.from, window.count), (v) =>
      Number.isFinite(v) ? v : null,
    );
  const [timeS, voltageV, currentA, temperatureC] = await Promise.all(
    ['time', 'voltage', 'current', 'temperature'].map(of),
  );
  return {
    timeS: timeS!,
    voltageV: voltageV!,
    currentA: currentA!,
    temperatureC: temperatureC!.length > 0 ? temperatureC! : null,
    stretch: stretchOf(window.level),
  } as RunPart;
}

/** The file of a run as it came. @throws 404 */
export async function runFile(store: Store, id: string): Promise<Buffer> {
  const [row] = await store.sequelize.query<{ bytes: Buffer }>(
    "SELECT f.bytes FROM observations o JOIN run_files f ON f.sha256 = o.data->>'sha256' WHERE o.id = :id AND o.topic = 'bench'",
    { replacements: { id }, type: QueryTypes.SELECT },
  );
  if (!row) throw notFound('That file');
  return unzip(row.bytes);
}

/** A logged run into the record, with its file. */
export async function addReadRun(store: Store, doing: Doing, number: unknown, read: ReadRun): Promise<Run> {
  await keepRunFile(store, doing.tx, read);
  const found = await findJob(store, number, doing.tx);
  return keepRun(store, doing, found, read.query.place, new Date(read.query.observedAt), read.data);
}
