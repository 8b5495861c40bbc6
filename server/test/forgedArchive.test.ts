import { MOST_CHAINED_ROWS, type TakenIn } from '@cellmend/contract/archive';
import type { Problem } from '@cellmend/contract/problem';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { verifyRecord } from '../../scripts/lib/verify.mjs';
import { newJob, openOn, profileOf, proveDead } from './depot';
import { elsewhere, forge, partsOf, seeded, snapshot, strays, zipOf, type Parts } from './forgedArchives';
import { root, startBench, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
let original: Parts;

const send = async (parts: Parts, vehicle = 'other') =>
  ina.post<TakenIn & Problem>(`/api/archives?vehicle=${vehicle}`, await zipOf(parts));

beforeAll(async () => {
  bench = await startBench(true, 1000, true);
  await bench.running.filled;
  ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Marram 3', 'to be forged');
  const observedAt = bench.clock.iso();
  await ina.post(
    `/api/jobs/${n}/scans?name=a.csv&role=before`,
    readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8').split('\n').slice(0, 80).join('\n'),
  );
  await bench.settled();
  const made = await ina.post<{ id: string }>(`/api/jobs/${n}/readings`, {
    kind: 'voltage',
    place: 'M07',
    value: 14.62,
    stage: 'bench',
    observedAt,
  });
  await ina.post(`/api/jobs/${n}/readings`, {
    kind: 'voltage',
    place: 'M07',
    value: 14.6,
    stage: 'bench',
    observedAt,
    supersedes: made.body.id,
    reason: 'misread',
  });
  await proveDead(ina, bench, n);
  const out = await ina.post(`/api/jobs/${n}/salvage`, {
    places: ['M07'],
    to: 'shelf',
    reason: 'spare',
    proof: '',
  });
  expect(out.status).toBe(201);
  original = await partsOf(bench.running.store, n);
});
afterAll(() => bench.end());

describe('a forged archive', () => {
  it('changes nothing that is here and hangs nothing on it, whatever it names', async () => {
    const me = (await ina.get<{ person: { id: string; name: string } }>('/api/session')).body.person;
    const names = ['Ina Holm', 'Tomas Rook', 'P001', 'P001-M07', 'S-101', 'Marram 3 post van'];
    const random = seeded(7);
    const profiles = (await ina.get<{ id: string }[]>('/api/packs')).body.map((p) => p.id);
    let before = await snapshot(bench.url);
    let taken = 0;
    for (let i = 0; i < 60; i++) {
      const parts = elsewhere(original);
      const said = Array.from({ length: 1 + (i % 3) }, () => forge(parts, before, names, random));
      const answer = await send(parts);
      expect([201, 409, 422], `${said.join('; ')}: ${JSON.stringify(answer.body)}`).toContain(answer.status);
      if (answer.status === 201) taken++;
      if (i % 6 !== 5) continue;
      const after = await snapshot(bench.url);
      expect(strays(before, after, new Set([me.id, ...profiles])), said.join('; ')).toEqual([]);
      before = after;
    }
    // Some are harmless and are taken in: the test would say nothing otherwise.
    expect(taken).toBeGreaterThan(5);
    expect(verifyRecord(bench.url)).toMatchObject({ breaks: 0 });
    // Whatever it called its things, the next of ours has a number and a label.
    expect(await openOn(ina, profileOf('After', 4, 2), 'SK 777')).toBeLessThan(2000);
    const part = await ina.post('/api/stock', {
      parts: [{ kind: 'module', label: '', facts: {}, figures: {} }],
    });
    expect(part.status, JSON.stringify(part.body)).toBe(201);
  });

  it.each([
    ['a number that leaves none for the next job', (p: Parts) => (p.tables.jobs[0]!.number = 2_147_483_647)],
    ['a number below one', (p: Parts) => (p.tables.jobs[0]!.number = -1)],
    [
      'more entries than a job has',
      (p: Parts) =>
        (p.tables.audit = Array.from({ length: MOST_CHAINED_ROWS + 1 }, () => p.tables.audit[0]!)),
    ],
    [
      'brackets four hundred deep',
      (p: Parts) => (p.tables.findings[0]!.result = JSON.parse('['.repeat(400) + ']'.repeat(400)) as unknown),
    ],
    ['a signature of 2020', (p: Parts) => (p.tables.audit[0]!.at = '2020-01-01T00:00:00Z')],
    [
      'a photograph that is another',
      (p: Parts) => {
        p.files.set('files/photo_files/000001.jpg', Buffer.from('not it'));
        const file = { file: 'files/photo_files/000001.jpg' };
        p.tables.photo_files = [
          { sha256: 'a'.repeat(64), bytes: file, small: file, created_at: p.head.exportedAt },
        ];
      },
    ],
    [
      'more files than an archive has',
      (p: Parts) => {
        for (let i = 0; i < 20_100; i++) p.files.set(`files/none/${i}`, Buffer.alloc(0));
      },
    ],
    [
      'a file that unpacks to far more',
      (p: Parts) => {
        p.tables.jobs[0]!.complaint = ' '.repeat(70 * 1024 * 1024);
      },
    ],
  ])('with %s is refused with what is wrong, and stores nothing', async (_what, spoil) => {
    const parts = elsewhere(original);
    spoil(parts);
    const before = await bench.running.store.models.Job.count();
    const answer = await send(parts);
    expect(answer.status).toBe(422);
    expect(answer.body.detail.length).toBeGreaterThan(10);
    expect(await bench.running.store.models.Job.count()).toBe(before);
  });
});
