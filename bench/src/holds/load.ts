import { randomUUID } from 'node:crypto';
import { Client } from '../../../server/test/harness';
import type { Line } from '../table';
import { WatchedServer } from './watched';

const SECONDS = Number(process.env.BENCH_LOAD_S ?? 15);
const sleep = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

interface Load {
  perS: number;
  p50Ms: number;
  p99Ms: number;
  errors: number;
}

/** People who look at jobs and write into them, one request after the other each, as fast as they are answered. */
export async function loadOf(address: string, users: number, seconds = SECONDS): Promise<Load> {
  const first = new Client(address);
  const people = await first.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
  const person = people.body.demoPeople.find((p) => p.name === 'Ina Holm')!.id;
  await first.post('/api/session/demo', { personId: person });
  const { body: board } = await first.get<{ rows: { number: number }[] }>('/api/jobs');
  const jobs = board.rows.map((r) => r.number);
  const times: number[] = [];
  let errors = 0;
  const until = performance.now() + seconds * 1000;
  const user = async (k: number): Promise<void> => {
    const client = new Client(address);
    client.cookie = first.cookie;
    const job = jobs[k % jobs.length]!;
    // Looking is most of it: the job again and again, its readings and findings, the board; every tenth is an entry.
    const round = [
      `/api/jobs/${job}`,
      '/api/jobs',
      `/api/jobs/${job}`,
      `/api/jobs/${job}/findings`,
      `/api/jobs/${job}`,
      `/api/jobs/${job}/readings`,
      `/api/jobs/${job}`,
      `/api/jobs/${job}/safety`,
      `/api/jobs/${job}`,
      'write',
    ];
    await sleep((k * 37) % 500);
    for (let i = k; performance.now() < until; i++) {
      const what = round[i % round.length]!;
      const began = performance.now();
      const answer = await (
        what === 'write'
          ? client.post(
              `/api/jobs/${job}/readings`,
              {
                kind: 'note',
                place: '',
                text: `load ${k}.${i}`,
                stage: 'intake',
                observedAt: new Date().toISOString(),
              },
              { 'idempotency-key': randomUUID() },
            )
          : client.get(what)
      ).catch(() => null);
      times.push(performance.now() - began);
      if (!answer || answer.status >= 400) errors++;
    }
  };
  await Promise.all(Array.from({ length: users }, (_, k) => user(k)));
  times.sort((a, b) => a - b);
  const at = (share: number): number =>
    times[Math.min(times.length - 1, Math.floor(share * times.length))] ?? NaN;
  return { perS: times.length / seconds, p50Ms: at(0.5), p99Ms: at(0.99), errors };
}

const said = (l: Load): string =>
  `${l.perS.toFixed(0)} a second, half within ${l.p50Ms.toFixed(0)} ms, 99 of 100 within ${l.p99Ms.toFixed(0)} ms`;

/**
 * Fifty users at once, on this version and, in the same run, on an earlier checkout that `BENCH_BEFORE` names; then two
 * hundred on this one.
 */
export async function loadLines(
  here: string,
  database: () => Promise<{ url: string; appUrl: string; drop: () => Promise<void> }>,
): Promise<Line[]> {
  const before = process.env.BENCH_BEFORE;
  const on = async (checkout: string, users: number): Promise<Load> => {
    const db = await database();
    const server = await WatchedServer.start(checkout, checkout === here ? db.appUrl : db.url, db.url);
    try {
      await loadOf(server.address, 4, 3);
      return await loadOf(server.address, users);
    } finally {
      await server.stop();
      await db.drop();
    }
  };
  const ours = await on(here, 50);
  const earlier = before ? await on(before, 50) : null;
  const many = await on(here, 200);
  return [
    {
      what: '50 users, mixed: requests answered a second',
      ours: said(ours),
      against: earlier ? said(earlier) : 'no earlier checkout (BENCH_BEFORE)',
      ratio: earlier
        ? `${(ours.perS / earlier.perS).toFixed(1)} ×, p99 ${(ours.p99Ms / earlier.p99Ms).toFixed(2)} ×`
        : '–',
      aim: '≥ 3 ×, p99 ≤ 0.33 ×',
      met: earlier !== null && ours.perS >= 3 * earlier.perS && ours.p99Ms <= earlier.p99Ms / 3,
    },
    {
      what: '200 users, mixed: errors, p99',
      ours: `${many.errors} errors`,
      against: said(many),
      ratio: `${(many.p99Ms / 1000).toFixed(2)} s`,
      aim: '0, ≤ 3 s',
      met: many.errors === 0 && many.p99Ms <= 3000,
    },
  ];
}
