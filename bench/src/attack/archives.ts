import { MOST_CHAINED_ROWS } from '@cellmend/contract/archive';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { verifyRecord } from '../../../scripts/lib/verify.mjs';
import { newJob, proveDead } from '../../../server/test/depot';
import {
  elsewhere,
  forge,
  partsOf,
  seeded,
  snapshot,
  strays,
  zipOf,
} from '../../../server/test/forgedArchives';
import { root, startBench } from '../../../server/test/harness';
import type { Line } from '../table';

/** Archives that name things of here at random; after every ten, every row of every table is looked at. */
export async function forgedArchiveLines(count: number): Promise<Line[]> {
  const bench = await startBench(true, 1000, true);
  try {
    await bench.running.filled;
    const ina = await bench.as('Ina Holm');
    const n = await newJob(ina, 'Marram 3', 'to be forged');
    const rows = readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8').split('\n').slice(0, 80);
    await ina.post(`/api/jobs/${n}/scans?name=a.csv&role=before`, rows.join('\n'));
    await bench.settled();
    await proveDead(ina, bench, n);
    await ina.post(`/api/jobs/${n}/salvage`, { places: ['M07'], to: 'shelf', reason: 'spare', proof: '' });
    const original = await partsOf(bench.running.store, n);
    const me = (await ina.get<{ person: { id: string } }>('/api/session')).body.person.id;
    const allowed = new Set([me, ...(await ina.get<{ id: string }[]>('/api/packs')).body.map((p) => p.id)]);
    const names = ['Ina Holm', 'Tomas Rook', 'P001', 'P001-M07', 'S-101', 'Marram 3 post van'];
    const random = seeded(1201);
    const answers = new Map<number, number>();
    const stray: string[] = [];
    let before = await snapshot(bench.url);
    for (let i = 0; i < count; i++) {
      const parts = elsewhere(original);
      for (let k = 0; k <= i % 3; k++) forge(parts, before, names, random);
      const { status } = await ina.post<object>('/api/archives?vehicle=other', await zipOf(parts));
      answers.set(status, (answers.get(status) ?? 0) + 1);
      if (i % 10 !== 9 && i !== count - 1) continue;
      const after = await snapshot(bench.url);
      // A pack of the same make shares its profile, also one that an archive of before brought.
      for (const { id } of (await ina.get<{ id: string }[]>('/api/packs')).body) allowed.add(id);
      stray.push(...strays(before, after, allowed));
      before = after;
    }
    const failed = [...answers].filter(([s]) => s >= 500).reduce((t, [, k]) => t + k, 0);
    const held = await longestWrite(bench, ina, original);
    return [
      {
        what: `${count} forged archives: rows of anything else changed, or new rows that hang on it`,
        ours: [String(stray.length), ...stray.slice(0, 2)].join(': '),
        against: [...answers].map(([s, k]) => `${k} × ${s}`).join(', '),
        ratio: verifyRecord(bench.url).breaks === 0 ? 'record whole' : 'RECORD BROKEN',
        aim: '0, none of 500 and above',
        met: stray.length === 0 && failed === 0,
      },
      {
        what: `an archive of ${MOST_CHAINED_ROWS} entries: an ordinary write beside it, at most`,
        ours: `${held.worstMs.toFixed(0)} ms`,
        against: `${held.idleMs.toFixed(0)} ms alone; taken in over ${(held.tookMs / 1000).toFixed(1)} s, ${held.status}`,
        ratio: `${(held.worstMs / Math.max(1, held.idleMs)).toFixed(1)} ×`,
        aim: '≤ 200 ms',
        met: held.worstMs <= 200,
      },
    ];
  } finally {
    await bench.end();
  }
}

/** Writes a note after the other while the largest archive that is allowed is taken in. */
async function longestWrite(
  bench: Awaited<ReturnType<typeof startBench>>,
  ina: Awaited<ReturnType<typeof bench.as>>,
  original: Awaited<ReturnType<typeof partsOf>>,
): Promise<{ worstMs: number; idleMs: number; tookMs: number; status: number }> {
  const parts = elsewhere(original);
  const line = parts.tables.audit[0]!;
  const chained = Object.entries(parts.tables)
    .filter(
      ([t]) =>
        !['audit', 'scan_chunks', 'scan_sources', 'scan_pictures', 'photo_files', 'run_files'].includes(t),
    )
    .reduce((n, [, rows]) => n + rows.length, 0);
  parts.tables.audit = Array.from({ length: MOST_CHAINED_ROWS - chained }, () => ({ ...line }));
  const zip = await zipOf(parts);
  const write = async (i: number): Promise<number> => {
    const began = performance.now();
    await ina.post<object>('/api/jobs/147/readings', {
      kind: 'note',
      place: '',
      text: `beside ${i}`,
      stage: 'intake',
      observedAt: new Date().toISOString(),
    });
    return performance.now() - began;
  };
  const idle: number[] = [];
  for (let i = 0; i < 20; i++) idle.push(await write(i));
  const began = performance.now();
  let over = false;
  const taking = ina.post<object>('/api/archives?vehicle=other', zip).then((a) => {
    over = true;
    return a.status;
  });
  let worstMs = 0;
  for (let i = 0; !over; i++) worstMs = Math.max(worstMs, await write(100 + i));
  const status = await taking;
  return {
    worstMs,
    idleMs: idle.sort((a, b) => a - b)[10]!,
    tookMs: performance.now() - began,
    status,
  };
}
