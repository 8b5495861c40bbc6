import { Random } from '@cellmend/core/simpack';
import { spawn, spawnSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Workshop } from '../../../e2e/src/processes';
import { Client } from '../../../server/test/harness';
import type { Line } from '../table';

const sleep = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));
const JOB = 146;
const WRITERS = 6;
/** Every so many entries is a scan file, if it falls to the one writer that sends them. */
const SCAN_EVERY = 15;

/** A small scan of the 48 V pack, like no other. */
const scanOf = (n: number): string =>
  [
    `time_s,current_A,${Array.from({ length: 14 }, (_, i) => `g${String(i + 1).padStart(2, '0')}_V`).join(',')}`,
    ...[0, 1, 2, 3].map(
      (t) =>
        `${t},0,${Array.from({ length: 14 }, (_, i) => (3.4 + n * 1e-5 + i / 1e3).toFixed(5)).join(',')}`,
    ),
  ].join('\n');

interface Sent {
  /** What the entry says, by which it is found in the record. */
  mark: string;
  kind: 'reading' | 'scan';
  answered: boolean;
}

/**
 * Server and database die at random moments while several people write; every entry is sent again under its key until it is
 * answered. Counts what was answered and is not there, what is there twice, and imports of which only a part is there.
 */
export async function killsUnderLoad(kills: number, seed: number): Promise<Line[]> {
  const random = new Random(seed);
  const workshop = await Workshop.open();
  const port = await workshop.serve();
  const ina = new Client(`http://127.0.0.1:${port}`);
  const people = await ina.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
  await ina.post('/api/session/demo', {
    personId: people.body.demoPeople.find((p) => p.name === 'Ina Holm')!.id,
  });
  let over = false;
  let count = 0;
  const sent: Sent[] = [];
  const strange = new Map<string, number>();
  const write = async (k: number): Promise<void> => {
    const n = ++count;
    // A scan takes longer than a server often lives: one writer tries, the others go on with their readings.
    const scan = k === 0 && n % SCAN_EVERY === 0;
    const entry: Sent = { mark: `entry ${seed}.${n}`, kind: scan ? 'scan' : 'reading', answered: false };
    sent.push(entry);
    const key = { 'idempotency-key': randomUUID() };
    const observedAt = new Date().toISOString();
    while (!entry.answered) {
      const answer = await (
        scan
          ? ina.post(
              `/api/jobs/${JOB}/scans?name=${encodeURIComponent(entry.mark)}&role=before`,
              scanOf(n),
              key,
            )
          : ina.post(
              `/api/jobs/${JOB}/readings`,
              { kind: 'note', place: '', text: entry.mark, stage: 'intake', observedAt },
              key,
            )
      ).catch(() => null);
      if (answer?.status === 201) entry.answered = true;
      else {
        if (answer && answer.status !== 503)
          strange.set(String(answer.status), (strange.get(String(answer.status)) ?? 0) + 1);
        // At the end of it all what was never answered may be there or not.
        if (over) return;
        await sleep(120);
      }
    }
  };
  const writers = Array.from({ length: WRITERS }, async (_, k) => {
    while (!over) await write(k);
  });
  let crashes = 0;
  for (let k = 0; k < kills; k++) {
    await sleep(random.uniform(100, 2000));
    if (random.uniform() < 0.25) {
      crashes++;
      workshop.cluster.crash();
      await sleep(random.uniform(0, 400));
      workshop.cluster.revive();
    } else {
      await workshop.kill(port);
      await workshop.serve(port);
    }
  }
  await sleep(1500);
  over = true;
  await Promise.all(writers);
  const times = (table: string, column: string): Map<string, number> =>
    new Map(
      workshop.cluster
        .sql(
          `SELECT ${column}, count(*) FROM ${table} WHERE ${column} LIKE 'entry ${seed}.%' GROUP BY 1`,
          'cellmend',
        )
        .out.trim()
        .split('\n')
        .filter(Boolean)
        .map((row) => row.split('|'))
        .map(([mark, n]) => [mark!, Number(n)]),
    );
  const stored = { reading: times('observations', "data->>'text'"), scan: times('scans', 'name') };
  const lost = sent.filter((s) => s.answered && !stored[s.kind].has(s.mark)).length;
  const doubled = [...stored.reading.values(), ...stored.scan.values()].filter((n) => n > 1).length;
  const half = workshop.count(
    `scans s WHERE s.name LIKE 'entry ${seed}.%' AND (NOT EXISTS (SELECT 1 FROM scan_chunks c WHERE c.scan_id = s.id)
       OR NOT EXISTS (SELECT 1 FROM scan_sources c WHERE c.scan_id = s.id)
       OR NOT EXISTS (SELECT 1 FROM findings f WHERE f.input_ids @> to_jsonb(s.id::text)))`,
  );
  const answered = sent.filter((s) => s.answered).length;
  await workshop.end();
  const other = [...strange].map(([status, n]) => `${n} × ${status}`).join(', ');
  return [
    {
      what: `${kills} kills under load (${kills - crashes} of the server, ${crashes} of the database): lost / doubled / half-written`,
      ours: `${lost} / ${doubled} / ${half}`,
      against: `${answered} answered, ${[...stored.scan.values()].length} of them scans`,
      ratio: other === '' ? 'no other answer' : `other answers: ${other}`,
      aim: '0 / 0 / 0',
      met: lost + doubled + half === 0,
    },
  ];
}

const root = join(import.meta.dirname, '../../..');
/** Longest that anybody waits for it to be back, s. */
const BACK_WITHIN_S = 90;

/** `npm start` as a workshop runs it: its server and its database are killed in turn, and nobody helps. */
export async function comesBack(blows: number): Promise<Line[]> {
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-holds-'));
  const port = await new Promise<number>((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const address = probe.address();
      probe.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });
  const start = spawn('node', ['scripts/start.mjs', '--port', String(port)], {
    cwd: root,
    stdio: 'ignore',
    env: { ...process.env, CELLMEND_DATA: folder, CELLMEND_DEMO_RECORDS: '0', LOG_LEVEL: 'silent' },
  });
  const answers = (): Promise<boolean> =>
    fetch(`http://127.0.0.1:${port}/api/session`, { signal: AbortSignal.timeout(8000) })
      .then((r) => r.status === 200)
      .catch(() => false);
  const within = async (seconds: number): Promise<number | null> => {
    const began = performance.now();
    while (performance.now() - began < seconds * 1000) {
      if (await answers()) return (performance.now() - began) / 1000;
      await sleep(100);
    }
    return null;
  };
  let back = 0;
  let slowestS = 0;
  try {
    if ((await within(240)) === null) throw new Error('npm start never answered.');
    for (let k = 0; k < blows; k++) {
      const pid =
        k % 2 === 0
          ? Number(
              spawnSync('pgrep', ['-P', String(start.pid), '-f', 'server/src/main.ts'], { encoding: 'utf8' })
                .stdout,
            )
          : Number(readFileSync(join(folder, 'postgres/postmaster.pid'), 'utf8').split('\n')[0]);
      process.kill(pid, 'SIGKILL');
      await sleep(300);
      const took = await within(BACK_WITHIN_S);
      if (took !== null) back++;
      slowestS = Math.max(slowestS, took ?? BACK_WITHIN_S);
    }
  } finally {
    const gone = new Promise((resolve) => start.once('exit', resolve));
    start.kill('SIGTERM');
    await gone;
    rmSync(folder, { recursive: true, force: true });
  }
  return [
    {
      what: 'npm start, server and database killed in turn: comes back by itself',
      ours: `${back} of ${blows}`,
      against: '',
      ratio: `${slowestS.toFixed(1)} s at most`,
      aim: 'all',
      met: back === blows,
    },
  ];
}
