import { Stretches, type CourseReader } from '@cellmend/core/scan';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Store } from '../domain/store';

/** Values per stored chunk of a scan; its low and high stand beside it. */
export const CHUNK = 65536;
const DOUBLE = 8;

const doubles = (bytes: Uint8Array): Float64Array => new Float64Array(Uint8Array.from(bytes).buffer);
const bytesOf = (values: Float64Array): Buffer =>
  Buffer.from(values.buffer, values.byteOffset, values.byteLength);

/** Keeps the stretches of one signal, and its readings where they lie nowhere else. */
export async function storeCourse(
  store: Store,
  tx: Transaction | null,
  of: string,
  signal: string,
  stretches: Stretches,
  readings: Float64Array | null = null,
): Promise<void> {
  const levels = [
    ...(readings ? [{ level: 0, values: readings }] : []),
    ...stretches.done().map((values, i) => ({ level: i + 1, values })),
  ];
  for (const { level, values } of levels)
    await store.sequelize.query(
      'INSERT INTO courses (of, signal, level, readings, "values") VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO NOTHING',
      { bind: [of, signal, level, stretches.readings, bytesOf(values)], transaction: tx },
    );
}

/** How many readings a signal has; null where its course was never worked out. */
export async function readingsOf(store: Store, of: string, signal: string): Promise<number | null> {
  const [row] = await store.sequelize.query<{ readings: number }>(
    'SELECT readings FROM courses WHERE of = $1 AND signal = $2 LIMIT 1',
    { bind: [of, signal], type: QueryTypes.SELECT },
  );
  return row?.readings ?? null;
}

const stored = async (
  store: Store,
  of: string,
  signal: string,
  level: number,
  from: number,
  count: number,
): Promise<Float64Array> => {
  const size = DOUBLE * (level === 0 ? 1 : 2);
  const [row] = await store.sequelize.query<{ part: Buffer }>(
    'SELECT substring("values" FROM $4 FOR $5) AS part FROM courses WHERE of = $1 AND signal = $2 AND level = $3',
    { bind: [of, signal, level, 1 + from * size, count * size], type: QueryTypes.SELECT },
  );
  return row ? doubles(row.part) : new Float64Array(0);
};

/** The course of a run: all of it in its own rows. */
export const runCourse = (store: Store, sha256: string, readings: number): CourseReader => ({
  readings,
  read: (signal, level, from, count) => stored(store, sha256, signal, level, from, count),
});

/** The readings of a scan from one on, out of the chunks they lie in. */
async function chunked(
  store: Store,
  scanId: string,
  signal: string,
  from: number,
  count: number,
): Promise<Float64Array> {
  const out = new Float64Array(count);
  for (let at = from; at < from + count;) {
    const [part, within] = [Math.floor(at / CHUNK), at % CHUNK];
    const now = Math.min(from + count - at, CHUNK - within);
    const [row] = await store.sequelize.query<{ part: Buffer }>(
      'SELECT substring("values" FROM $4 FOR $5) AS part FROM scan_chunks WHERE scan_id = $1 AND signal = $2 AND part = $3',
      { bind: [scanId, signal, part, 1 + within * DOUBLE, now * DOUBLE], type: QueryTypes.SELECT },
    );
    if (!row) return out.subarray(0, at - from);
    const values = doubles(row.part);
    out.set(values, at - from);
    if (values.length < now) return out.subarray(0, at - from + values.length);
    at += now;
  }
  return out;
}

/** The course of one channel of a scan. One that fits into a chunk is worked out when it is looked at, and so is one of earlier days. */
export async function scanCourse(
  store: Store,
  scanId: string,
  signals: readonly string[],
): Promise<CourseReader> {
  let readings = 0;
  const here = new Map<string, Float64Array[]>();
  for (const signal of signals) {
    const known = await readingsOf(store, scanId, signal);
    if (known !== null) {
      readings = Math.max(readings, known);
      continue;
    }
    const stretches = new Stretches();
    const parts = await store.sequelize.query<{ part: number }>(
      'SELECT part FROM scan_chunks WHERE scan_id = $1 AND signal = $2 ORDER BY part',
      { bind: [scanId, signal], type: QueryTypes.SELECT },
    );
    for (const { part } of parts) stretches.take(await chunked(store, scanId, signal, part * CHUNK, CHUNK));
    here.set(signal, stretches.done());
    if (parts.length > 1) await storeCourse(store, null, scanId, signal, stretches);
    readings = Math.max(readings, stretches.readings);
  }
  return {
    readings,
    read: (signal, level, from, count) => {
      if (level === 0) return chunked(store, scanId, signal, from, count);
      const levels = here.get(signal);
      return levels
        ? Promise.resolve(levels[level - 1]!.subarray(2 * from, 2 * (from + count)))
        : stored(store, scanId, signal, level, from, count);
    },
  };
}
