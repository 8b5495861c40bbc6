import { ARCHIVE_VERSION, ARCHIVED_TABLES, type TakenIn } from '@cellmend/contract/archive';
import type { Job } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { verifyRecord } from '../../scripts/lib/verify.mjs';
import { measures, newJob, openOn, profileOf, proveDead } from './depot';
import { Client, root, startBench, type Bench } from './harness';

/** A workshop that has nothing yet, and its lead. */
async function emptyWorkshop(): Promise<[Bench, Client]> {
  const bench = await startBench(false);
  const boss = new Client(bench.address);
  const first = await boss.post('/api/first-lead', {
    workshop: 'Skerry yard',
    name: 'Odd Rane',
    role: 'lead',
    hvLevel: 3,
    hvUntil: '2030-01-01',
    hvIssuer: 'Island technical college',
    hvNumber: 'HV-1',
    password: 'a long enough word',
  });
  expect(first.status).toBe(201);
  return [bench, boss];
}

let from: Bench;
let ina: Client;
let to: Bench;
let lead: Client;
beforeAll(async () => {
  from = await startBench(true, 1000, true);
  ina = await from.as('Ina Holm');
  [to, lead] = await emptyWorkshop();
  // Somebody of the same name works there, and is another person.
  const other = {
    name: 'Ina Holm',
    password: 'another long word',
    role: 'viewer',
    hvLevel: 0,
    hvUntil: null,
  };
  expect((await lead.post('/api/people', other)).status).toBe(201);
});
afterAll(async () => {
  await from.end();
  await to.end();
});

const bytesOf = async (who: Client, path: string): Promise<Buffer> => {
  const res = await fetch(`${who.address}${path}`, { headers: { cookie: who.cookie, 'x-cellmend': '1' } });
  expect(res.status).toBe(200);
  return Buffer.from(await res.arrayBuffer());
};
/** Unpacked with Python's own zip reader, an implementation of others. */
function unpacked(zip: Buffer): { names: string[]; read: (name: string) => Buffer } {
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-archive-'));
  writeFileSync(join(folder, 'a.zip'), zip);
  execFileSync('/usr/bin/python3', ['-m', 'zipfile', '-e', join(folder, 'a.zip'), join(folder, 'out')]);
  const names = execFileSync('/usr/bin/python3', ['-m', 'zipfile', '-l', join(folder, 'a.zip')], {
    encoding: 'utf8',
    maxBuffer: 1 << 26,
  })
    .split('\n')
    .slice(1)
    .flatMap((l) => /^(\S+)/.exec(l)?.[1] ?? []);
  return { names, read: (name) => readFileSync(join(folder, 'out', name)) };
}
const record = (zip: Buffer): Record<string, unknown> => {
  const { read } = unpacked(zip);
  return Object.fromEntries(
    ARCHIVED_TABLES.map((t) => [t, JSON.parse(read(`record/${t}.json`).toString()) as unknown]),
  );
};
/** What is next is worked out where the job is. */
const withoutNeed = (jobs: unknown): object[] =>
  (jobs as Record<string, unknown>[]).map(
    ({ need, need_detail, need_stage, need_since, due_at, number, ...rest }) => {
      expect([need, need_detail, need_stage, need_since, due_at, number]).toHaveLength(6);
      return rest;
    },
  );
const send = (zip: Buffer, who = lead, vehicle = '') =>
  who.post<TakenIn & Problem>(`/api/archives${vehicle && `?vehicle=${vehicle}`}`, zip);

/**
 * A record with its ids, and its number, told by where they first stand: what is taken in has ids of its own and is the same but for
 * them. Names of people get their workshop there and stand apart.
 */
function canonical(tables: Record<string, unknown>): Record<string, unknown> {
  const seen = new Map<string, string>();
  // What grows as it is taken in comes last.
  const order = (t: string): number => ['observations', 'audit'].indexOf(t);
  const text = JSON.stringify(
    Object.entries(tables)
      .filter(([t]) => t !== 'people')
      .sort(([a], [b]) => order(a) - order(b)),
  ).replace(/[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/g, (id) => {
    if (!seen.has(id)) seen.set(id, `id ${seen.size}`);
    return seen.get(id)!;
  });
  const rows = Object.fromEntries(JSON.parse(text) as [string, Record<string, unknown>[]][]);
  // A pack has the next label of the workshop it is in, and its parts follow it.
  for (const t of ['packs', 'parts']) for (const r of rows[t] ?? []) delete r.label;
  return rows;
}

/** A job with something of everything: scan, readings, photograph, ticks, a fitted donor, decisions, a clock. */
async function fullJob(): Promise<number> {
  const n = await newJob(ina, 'Marram 3', 'everything');
  await ina.post(
    `/api/jobs/${n}/scans?name=${encodeURIComponent('before, näher.csv')}&role=before`,
    readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8'),
  );
  await from.settled();
  const observedAt = from.clock.iso();
  for (const reading of [
    { kind: 'voltage', place: 'M07', value: 14.62, stage: 'bench', observedAt },
    { kind: 'note', place: 'M07', text: 'dry vent; “green” residue, 3 mm', stage: 'bench', observedAt },
  ])
    expect((await ina.post(`/api/jobs/${n}/readings`, reading)).status).toBe(201);
  await ina.post(`/api/jobs/${n}/clocks`, {
    label: 'Sealant',
    kind: 'other',
    endsAt: new Date(Date.now() + 3_600_000).toISOString(),
    stage: 'rebuild',
  });
  await ina.post(`/api/jobs/${n}/decisions`, {
    body: measures(['replace-module', 'M07']),
    findingIds: [],
    baseVersion: 0,
  });
  await proveDead(ina, from, n);
  await ina.post(`/api/jobs/${n}/strip-down/ticks`, { part: 'L8', off: true, observedAt });
  const picture = await sharp({ create: { width: 90, height: 60, channels: 3, background: '#357' } })
    .jpeg()
    .toBuffer();
  const photo = await ina.post(`/api/jobs/${n}/photos`, {
    place: 'M07',
    note: 'vent',
    stage: 'strip-down',
    observedAt,
    image: picture.toString('base64'),
  });
  expect(photo.status, JSON.stringify(photo.body)).toBe(201);
  return n;
}

describe('an archive of a job', () => {
  it('of the version before is taken in whole; one of a version to come is told so and changes nothing', async () => {
    const before = readFileSync(join(root, 'server/test/fixtures/archive-version-1.zip'));
    expect(JSON.parse(unpacked(before).read('archive.json').toString())).toMatchObject({ version: 1 });
    const [old, boss] = await emptyWorkshop();
    const count = await old.running.store.models.Job.count();
    const newer = await send(
      changed(before, (name, text) =>
        name === 'archive.json' ? text.replace(/"version": *1/, '"version": 99') : text,
      ),
      boss,
    );
    expect(newer.status).toBe(422);
    expect(JSON.stringify(newer.body)).toMatch(/newer version of this program/);
    expect(await old.running.store.models.Job.count()).toBe(count);
    const answer = await send(before, boss);
    expect(answer.status, JSON.stringify(answer.body)).toBe(201);
    const here = canonical(record(before));
    const again = await bytesOf(boss, `/api/jobs/${answer.body.number}/archive`);
    const there = canonical(record(again));
    for (const t of ARCHIVED_TABLES)
      if (!['audit', 'people', 'jobs', 'clocks'].includes(t)) expect(there[t], t).toEqual(here[t]);
    expect((here.observations as object[]).length).toBeGreaterThan(3);
    expect(JSON.parse(unpacked(again).read('archive.json').toString())).toMatchObject({
      version: ARCHIVE_VERSION,
    });
    expect(verifyRecord(old.url)).toMatchObject({ breaks: 0 });
    await old.end();
  });

  it('is taken in elsewhere without loss: what goes out there is what came in', async () => {
    const n = await fullJob();
    const out = await bytesOf(ina, `/api/jobs/${n}/archive`);
    const answer = await send(out);
    expect(answer.status, JSON.stringify(answer.body)).toBe(201);
    const renamed = 'Ina Holm (Skerra Island Transport workshop)';
    const at = answer.body.number;
    expect(answer.body.renamed[0]).toBe(`job ${n} is job ${at} here`);
    expect(answer.body.renamed.slice(1).every((r) => /^P\d{3}\S* is P\d{3}\S* here$/.test(r))).toBe(true);
    const again = await bytesOf(lead, `/api/jobs/${at}/archive`);
    const [here, there] = [canonical(record(out)), canonical(record(again))];
    // That it was taken in stands at the end of its timeline; whoever did so is new among its people.
    const audit = there.audit as { what: string }[];
    const written = (here.audit as object[]).length;
    expect(audit.slice(written).map((a) => a.what)).toEqual(['taken in from an archive', 'make safe']);
    for (const t of ARCHIVED_TABLES)
      if (t === 'audit') expect(audit.slice(0, written)).toEqual(here.audit);
      else if (t === 'observations') {
        // Proven dead there is not proven dead here: the gate was closed as it was taken in.
        const observations = there.observations as { kind: string; data: { reason?: string } }[];
        expect(observations.at(-1)).toMatchObject({ kind: 'close', data: { reason: 'taken-in' } });
        expect(observations.slice(0, -1)).toEqual(here.observations);
      } else if (t === 'jobs') expect(withoutNeed(there.jobs)).toEqual(withoutNeed(here.jobs));
      else if (t !== 'people') expect(there[t], t).toEqual(here[t]);
    const names = (zip: Buffer): string[] =>
      (record(zip).people as { name: string }[]).map((p) => p.name).sort();
    expect(names(again)).toEqual(
      [...names(out).map((p) => `${p} (Skerra Island Transport workshop)`), 'Odd Rane'].sort(),
    );
    // Files byte for byte, and the record of the other workshop is whole.
    const [a, b] = [unpacked(out), unpacked(again)];
    const files = a.names.filter((f) => f.startsWith('files/'));
    expect(files.length).toBeGreaterThan(90);
    expect(b.names.filter((f) => f.startsWith('files/'))).toEqual(files);
    for (const f of files) expect(a.read(f).equals(b.read(f)), f).toBe(true);
    expect(verifyRecord(to.url)).toMatchObject({ breaks: 0 });
    // It works there as it did here, and its figures are computed anew to the same.
    const [job, other] = [
      (await ina.get<Job>(`/api/jobs/${n}`)).body,
      (await lead.get<Job>(`/api/jobs/${at}`)).body,
    ];
    expect([job.gate.holds, other.gate.holds]).toEqual([true, false]);
    expect(other.steps.filter((s) => s.met)).toEqual(job.steps.filter((s) => s.met));
    const ownIds = (d: Job['decisions'][number]): object => ({
      ...d,
      id: '',
      findingIds: [],
      body: canonical({ d: d.body }),
    });
    expect(other.decisions.map(ownIds)).toEqual(
      job.decisions.map((d) => ownIds({ ...d, signedBy: renamed })),
    );
    const [finding] = (await lead.get<{ id: string; topic: string }[]>(`/api/jobs/${at}/findings`)).body;
    const recomputed = await lead.post<{ same: boolean }>(
      `/api/jobs/${at}/findings/${finding!.id}/recompute`,
    );
    expect(recomputed.body.same).toBe(true);
    // Whoever worked on it elsewhere is a name here, and has no way in.
    const people = (await lead.get<{ id: string; name: string; active: boolean }[]>('/api/people')).body;
    expect(people.map((p) => p.name)).not.toContain(renamed);
    expect(people.find((p) => p.name === 'Ina Holm')?.active).toBe(true);
    const [guest] = (
      await to.running.store.sequelize.query(`SELECT id FROM people WHERE name = '${renamed}'`)
    )[0] as { id: string }[];
    const asAccount = await lead.call<Problem>('PATCH', `/api/people/${guest!.id}`, {
      active: true,
      role: 'lead',
    });
    expect(asAccount.status).toBe(422);
    const withPassword = await lead.call<Problem>('PUT', `/api/people/${guest!.id}/password`, {
      password: 'a long enough word',
    });
    expect(withPassword.status).toBe(422);
    // Twice is once.
    expect((await send(out)).status).toBe(409);
  });

  it('is read without the app: tables for a spreadsheet, shapes as JSON Schema that its rows keep', async () => {
    const { names, read } = unpacked(await bytesOf(ina, '/api/jobs/138/archive'));
    expect(names).toEqual(
      expect.arrayContaining(['README.txt', 'archive.json', 'schema.json', 'readable/readings.csv']),
    );
    expect(read('readable/timeline.csv').toString()).toMatch(/^\uFEFFat,by,what,subject,detail/);
    const schema = JSON.parse(read('schema.json').toString()) as { properties: Record<string, object> };
    expect(Object.keys(schema.properties)).toContain('record/observations.json');
  });

  it('every demo job goes to an empty workshop and comes back the same', async () => {
    for (const { number } of (await ina.get<{ rows: { number: number }[] }>('/api/jobs')).body.rows) {
      const out = await bytesOf(ina, `/api/jobs/${number}/archive`);
      const answer = await send(out);
      if (answer.status === 409) continue;
      expect(answer.status, JSON.stringify(answer.body)).toBe(201);
      const [here, there] = [
        canonical(record(out)),
        canonical(record(await bytesOf(lead, `/api/jobs/${answer.body.number}/archive`))),
      ];
      for (const t of ARCHIVED_TABLES)
        if (!['audit', 'people', 'jobs', 'observations', 'clocks'].includes(t))
          expect(there[t], `${t} of ${number}`).toEqual(here[t]);
    }
  });

  it('brings a vehicle of a plate that is here: whether it is the same is asked, and stored only once it is answered', async () => {
    const plated = async (): Promise<Buffer> => {
      const n = await openOn(ina, profileOf('Shared', 4, 2), `SK ${crypto.randomUUID().slice(0, 6)}`);
      const zip = await bytesOf(ina, `/api/jobs/${n}/archive`);
      return changed(zip, (name, text) =>
        name === 'record/vehicles.json' ? text.replace(/"plate": *"[^"]*"/, '"plate": "SK 100"') : text,
      );
    };
    const own = await openOn(lead, profileOf('Own', 4, 2), 'SK 100');
    const vehicle = async (): Promise<{ name: string; jobs: { number: number }[] }> =>
      (
        await lead.get<{ plate: string | null; name: string; jobs: { number: number }[] }[]>('/api/vehicles')
      ).body.find((v) => v.plate === 'SK 100')!;
    const before = await to.running.store.models.Job.count();
    const asked = await send(await plated());
    expect(asked.status).toBe(409);
    expect(asked.body.type).toBe('urn:cellmend:same-vehicle');
    expect(await to.running.store.models.Job.count()).toBe(before);
    const other = await send(await plated(), lead, 'other');
    expect(other.body.renamed.join()).toMatch(/plate SK 100 is of another vehicle here/);
    expect((await vehicle()).jobs.map((j) => j.number)).toEqual([own]);
    const same = await send(await plated(), lead, 'same');
    expect(same.status).toBe(201);
    expect((await vehicle()).jobs.map((j) => j.number).sort()).toEqual([own, same.body.number].sort());
    expect((await vehicle()).name).toBe('Vehicle SK 100');
  });

  it('names that are taken here are given anew and told; what is no archive, or another’s, changes nothing', async () => {
    const third = await startBench();
    try {
      const boss = await third.as('Ina Holm');
      const n = await fullJob();
      while ((await newJob(boss, 'Corrie', 'of this workshop')) < n);
      const out = await bytesOf(ina, `/api/jobs/${n}/archive`);
      const taken = await send(out, boss);
      expect(taken.status, JSON.stringify(taken.body)).toBe(201);
      expect(taken.body.renamed[0]).toBe(`job ${n} is job ${taken.body.number} here`);
      const before = await third.running.store.models.Job.count();
      for (const [bad, says] of [
        [Buffer.from('no zip at all'), /cannot be opened/],
        [out.subarray(0, out.length / 2), /cannot be opened/],
        [
          tampered(out, 'observations', (rows) => rows.map((r) => ({ ...r, job_id: crypto.randomUUID() }))),
          /another job/,
        ],
        [tampered(out, 'decisions', (rows) => [...rows, { nonsense: true }]), /decisions\.json/],
        [tampered(out, 'people', (rows) => rows.map((r) => ({ ...r, role: 'lead' }))), /people\.json/],
      ] as const) {
        const refused = await send(bad, boss);
        expect(refused.status, String(says)).toBeGreaterThanOrEqual(400);
        expect(refused.status).toBeLessThan(500);
        expect(JSON.stringify(refused.body)).toMatch(says);
      }
      expect(await third.running.store.models.Job.count()).toBe(before);
      const viewer = await third.as('Bettine Vale');
      expect((await viewer.get(`/api/jobs/147/archive`)).status).toBe(403);
      expect((await send(out, viewer)).status).toBe(403);
    } finally {
      await third.end();
    }
  });
});

/** The same archive with some of its JSON changed, written by Python. */
function changed(zip: Buffer, change: (name: string, text: string) => string): Buffer {
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-archive-'));
  const { names, read } = unpacked(zip);
  const texts = Object.fromEntries(
    names.filter((n) => n.endsWith('.json')).map((n) => [n, change(n, read(n).toString())]),
  );
  writeFileSync(join(folder, 'in.zip'), zip);
  writeFileSync(join(folder, 'texts.json'), JSON.stringify(texts));
  execFileSync('/usr/bin/python3', [
    '-c',
    `import json,sys,zipfile
texts=json.load(open(sys.argv[1]+'/texts.json'))
src=zipfile.ZipFile(sys.argv[1]+'/in.zip'); out=zipfile.ZipFile(sys.argv[1]+'/out.zip','w')
for i in src.infolist():
    out.writestr(i.filename, texts[i.filename] if i.filename in texts else src.read(i))
out.close()`,
    folder,
  ]);
  const bytes = readFileSync(join(folder, 'out.zip'));
  rmSync(folder, { recursive: true });
  return bytes;
}
/** One table changed, and the job given another number of its own. */
function tampered(
  zip: Buffer,
  table: string,
  change: (rows: Record<string, unknown>[]) => unknown[],
): Buffer {
  const id = (JSON.parse(unpacked(zip).read('archive.json').toString()) as { jobId: string }).jobId;
  const other = crypto.randomUUID();
  return changed(zip, (name, text) => {
    const now =
      name === `record/${table}.json`
        ? JSON.stringify(change(JSON.parse(text) as Record<string, unknown>[]))
        : text;
    return now.replaceAll(id, other);
  });
}
