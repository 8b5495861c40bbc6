import { columnFor, recordOf, Stretches, type ScanRecord } from '@cellmend/core/scan';
import type { DeviationMap } from '@cellmend/core/diagnosis';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Store } from '../domain/store';
import { notFound } from '../domain/refusal';
import type { ScanRow } from '../db/rows';
import { CHUNK, storeCourse } from './courses';
import { chunksOf, type Spilled } from './spill';

/** Values fetched from the database at a time. */
const FETCH = 1 << 20;

/** Moves all readings of a scan from where they wait into the database. */
export async function storeReadings(
  store: Store,
  tx: Transaction,
  scanId: string,
  spilled: Spilled,
): Promise<void> {
  let name: string | null = null;
  let stretches = new Stretches();
  const keep = async (): Promise<void> => {
    // One that fits into a chunk is as soon worked out as read.
    if (name !== null && stretches.readings > CHUNK) await storeCourse(store, tx, scanId, name, stretches);
  };
  for await (const { signal, part, values } of chunksOf(spilled, CHUNK)) {
    if (name !== signal) {
      await keep();
      name = signal;
      stretches = new Stretches();
    }
    stretches.take(values);
    let low = Infinity;
    let high = -Infinity;
    for (let i = 0; i < values.length; i++) {
      const v = values[i]!;
      if (v < low) low = v;
      if (v > high) high = v;
    }
    // Bound as bytes: written into the statement, every byte would become two characters to be parsed again.
    await store.sequelize.query(
      'INSERT INTO scan_chunks (scan_id, signal, part, count, low, high, "values") VALUES ($1, $2, $3, $4, $5, $6, $7)',
      {
        bind: [
          scanId,
          signal,
          part,
          values.length,
          Number.isFinite(low) ? low : null,
          Number.isFinite(high) ? high : null,
          Buffer.from(values.buffer, values.byteOffset, values.byteLength),
        ],
        transaction: tx,
      },
    );
  }
  await keep();
}

/**
 * Reads a stored record back: the same course, to the last bit, as when the file was read.
 * @param channels only these channels, by index, where not all are wanted; the others are left empty.
 */
export async function loadRecord(
  store: Store,
  scanId: string,
  { tx, channels }: { tx?: Transaction; channels?: number[] } = {},
): Promise<ScanRecord> {
  const scan = await store.models.Scan.findByPk(scanId, { transaction: tx ?? null });
  if (!scan) throw notFound('That scan');
  const listed = await store.sequelize.query<{ signal: string; part: number; count: number }>(
    'SELECT signal, part, count FROM scan_chunks WHERE scan_id = $1 ORDER BY signal, part',
    { bind: [scanId], type: QueryTypes.SELECT, transaction: tx ?? null },
  );
  const skipped = (signal: string): boolean => {
    const channel = /^(?:time:)?channel:(\d+)$/.exec(signal)?.[1];
    return channels !== undefined && channel !== undefined && !channels.includes(Number(channel));
  };
  const columns = new Map<string, ReturnType<typeof columnFor>>();
  const wanted = listed.filter((c) => !skipped(c.signal));
  for (let from = 0, to = 0; from < wanted.length; from = to) {
    for (let values = 0; to < wanted.length && (to === from || values + wanted[to]!.count <= FETCH); to++)
      values += wanted[to]!.count;
    const some = wanted.slice(from, to);
    const rows = await store.sequelize.query<{ values: Buffer }>(
      `SELECT c."values" FROM unnest($2::text[], $3::int[]) WITH ORDINALITY AS w(signal, part, n)
         JOIN scan_chunks c ON c.scan_id = $1 AND c.signal = w.signal AND c.part = w.part ORDER BY w.n`,
      {
        bind: [scanId, some.map((c) => c.signal), some.map((c) => c.part)],
        type: QueryTypes.SELECT,
        transaction: tx ?? null,
      },
    );
    some.forEach(({ signal, count }, i) => {
      let column = columns.get(signal);
      if (!column)
        columns.set(signal, (column = columnFor(signal, scan.channelIds.length, scan.simultaneous)));
      const bytes = Uint8Array.from(rows[i]!.values);
      for (const value of new Float64Array(bytes.buffer, 0, count)) column.push(value);
    });
  }
  const courses = new Map([...columns].map(([name, column]) => [name, column.done()]));
  for (const i of scan.channelIds.keys())
    for (const name of scan.simultaneous ? [`channel:${i}`] : [`channel:${i}`, `time:channel:${i}`])
      if (!courses.has(name)) courses.set(name, new Float64Array(0));
  return recordOf(courses, {
    channelIds: scan.channelIds,
    simultaneous: scan.simultaneous,
    notices: scan.notices,
    ...([...columns.values()].some((c) => c.thinned) ? { thinned: true } : {}),
  });
}

export async function findScanOf(
  store: Store,
  jobId: string,
  id: string,
  tx?: Transaction,
): Promise<ScanRow> {
  const scan = await store.models.Scan.findOne({ where: { id, jobId }, transaction: tx ?? null });
  if (!scan) throw notFound('That scan');
  return scan;
}

/** The deviation picture of a scan, drawn when it was stored. */
export async function pictureOf(store: Store, scanId: string): Promise<DeviationMap> {
  const row = await store.models.ScanPicture.findByPk(scanId);
  if (!row) throw notFound('The picture of that scan');
  return row.picture;
}
