import type { ScanRecord, Series } from '@cellmend/core/scan';
import type { Transaction } from 'sequelize';
import type { Store } from '../http/context';
import { notFound } from '../http/problems';

/** Values per stored chunk; with its low and high a chart opens without reading them all. */
const CHUNK = 65536;

/** The arrays of a record under stable names; shared time is stored once. */
export function signalsOf(record: ScanRecord): Map<string, Float64Array> {
  const signals = new Map<string, Float64Array>();
  const put = (name: string, s: Series | null): void => {
    if (!s) return;
    signals.set(name, s.value);
    if (!record.simultaneous) signals.set(`time:${name}`, s.timeS);
  };
  if (record.simultaneous) signals.set('time', record.voltageV[0]!.timeS);
  put('current', record.currentA);
  put('temperature', record.temperatureC);
  put('soc', record.reportedSocFraction);
  record.voltageV.forEach((s, i) => put(`channel:${i}`, s));
  for (const sensor of record.sensors ?? []) put(`sensor:${sensor.name}`, sensor.series);
  return signals;
}

export async function storeSignals(
  store: Store,
  tx: Transaction,
  scanId: string,
  signals: Map<string, Float64Array>,
): Promise<void> {
  for (const [signal, values] of signals) {
    for (let from = 0, part = 0; from < values.length; from += CHUNK, part++) {
      const piece = values.subarray(from, from + CHUNK);
      let low = Infinity;
      let high = -Infinity;
      for (let i = 0; i < piece.length; i++) {
        const v = piece[i]!;
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
            piece.length,
            Number.isFinite(low) ? low : null,
            Number.isFinite(high) ? high : null,
            Buffer.from(piece.buffer, piece.byteOffset, piece.byteLength),
          ],
          transaction: tx,
        },
      );
    }
  }
}

/** Reads a stored record back, to the last bit as it was imported. */
export async function loadRecord(store: Store, scanId: string, tx?: Transaction): Promise<ScanRecord> {
  const scan = await store.models.Scan.findByPk(scanId, { transaction: tx ?? null });
  if (!scan) throw notFound('That scan');
  const chunks = await store.models.ScanChunk.findAll({
    where: { scanId },
    order: [
      ['signal', 'ASC'],
      ['part', 'ASC'],
    ],
    transaction: tx ?? null,
  });
  const signals = new Map<string, Float64Array>();
  for (const name of new Set(chunks.map((c) => c.signal))) {
    const parts = chunks.filter((c) => c.signal === name);
    const out = new Float64Array(parts.reduce((n, p) => n + p.count, 0));
    let at = 0;
    for (const p of parts) {
      const bytes = Uint8Array.from(p.values);
      out.set(new Float64Array(bytes.buffer, 0, p.count), at);
      at += p.count;
    }
    signals.set(name, out);
  }
  const series = (name: string): Series | null => {
    const value = signals.get(name);
    return value ? { timeS: signals.get(scan.simultaneous ? 'time' : `time:${name}`)!, value } : null;
  };
  const sensors = [...signals.keys()]
    .filter((k) => k.startsWith('sensor:'))
    .map((k) => ({ name: k.slice('sensor:'.length), series: series(k)! }));
  return {
    ...(sensors.length > 0 ? { sensors } : {}),
    channelIds: scan.channelIds,
    voltageV: scan.channelIds.map((_, i) => series(`channel:${i}`)!),
    currentA: series('current'),
    temperatureC: series('temperature'),
    reportedSocFraction: series('soc'),
    simultaneous: scan.simultaneous,
    notices: scan.notices,
  };
}
