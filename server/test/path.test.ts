import type { Job } from '@cellmend/contract/jobs';
import type { Decision } from '@cellmend/contract/decisions';
import type { Problem } from '@cellmend/contract/problem';
import type { Finding } from '@cellmend/contract/findings';
import type { StockPart } from '@cellmend/contract/stock';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import type { MatchRow } from '@cellmend/core/match';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connect } from '../src/db/connect';
import { measures } from './depot';
import { root, startBench, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterAll(() => bench.end());

const count = async (table: string): Promise<number> =>
  Number(
    (await bench.running.store.sequelize.query(`SELECT count(*) FROM ${table}`))[0].map(
      (r) => (r as { count: string }).count,
    )[0],
  );
const scanFile = (name: string): string => readFileSync(join(root, 'demo', name), 'utf8');
const sendScan = (text: string, role = 'before', key = randomUUID()) =>
  ina.post<Job['scans'][number] & Problem>(`/api/jobs/147/scans?name=scan.csv&role=${role}`, text, {
    'idempotency-key': key,
  });

describe('scan files that cannot be used', () => {
  const good = scanFile('marram-3-before.csv').split('\n').slice(0, 40).join('\n');
  const [heading, first, ...rest] = good.split('\n') as [string, string, ...string[]];
  const withoutChannel = (line: string): string =>
    line
      .split(',')
      .filter((_, i) => i !== 45)
      .join(',');
  it.each([
    ['empty', '', 'The file is empty.', undefined],
    ['text', 'Dear workshop,\nthe van is slow.\n', 'heading', 'line 1'],
    ['missing columns', `current_A,temp_C\n1,2\n`, 'lacks every channel voltage', 'line 1'],
    [
      '95 of 96 channels',
      [heading, first, ...rest].map(withoutChannel).join('\n'),
      '95 of 96 channels are in the file; missing: ch042',
      'heading',
    ],
    [
      'decimal comma',
      [heading, ...[first, ...rest].map((l) => l.replace(/(\d)\.(\d)/g, '$1,$2'))].join('\n'),
      'decimal comma',
      'line 2',
    ],
    [
      'negative volts',
      [heading, first, rest[0]!.replace(/,(4\.\d+)/, ',-$1')].join('\n'),
      'no cell reads that far below zero',
      'line 3, column ch001_V',
    ],
  ])('%s: says what and where, stores nothing', async (_name, text, what, where) => {
    const before = await Promise.all(
      ['scans', 'scan_chunks', 'scan_sources', 'findings', 'audit'].map(count),
    );
    const { status, body, headers } = await sendScan(text);
    expect(status).toBe(422);
    expect(headers.get('content-type')).toContain('application/problem+json');
    expect(body.detail).toContain(what);
    if (where) expect(body.where).toContain(where);
    expect(body.accepted).toBeTruthy();
    expect(
      await Promise.all(['scans', 'scan_chunks', 'scan_sources', 'findings', 'audit'].map(count)),
    ).toEqual(before);
  });
});

describe('the path from scan to hand-over', () => {
  let spread: Finding;
  let replace: Decision;

  it('takes a scan in once, however often it is sent', async () => {
    const key = randomUUID();
    const text = scanFile('marram-3-before.csv');
    const [a, b] = await Promise.all([sendScan(text, 'before', key), sendScan(text, 'before', key)]);
    expect(a.status).toBe(201);
    expect(b.body.id).toBe(a.body.id);
    expect((await ina.get<Job>('/api/jobs/147')).body.scans).toHaveLength(1);
  });

  it('has found the weak module and puts the job on the board for a decision', async () => {
    const { body } = await ina.get<Finding[]>('/api/jobs/147/findings');
    spread = body[0]!;
    expect((spread.result as SpreadReport).findings[0]).toMatchObject({
      module: 'M07',
      verdict: 'low-capacity',
    });
    const board = await ina.get<{
      rows: { number: number; need: string; stage: string; marks: unknown[] }[];
    }>('/api/jobs');
    const row = board.body.rows.find((r) => r.number === 147)!;
    expect(row).toMatchObject({ number: 147, need: 'Decide', stage: 'findings' });
    expect(row.marks).toContainEqual({ module: 6, kind: 'suspect' });
  });

  it('keeps the original file to the byte', async () => {
    const [rows] = await bench.running.store.sequelize.query('SELECT bytes FROM scan_sources ORDER BY part');
    const stored = Buffer.concat((rows as { bytes: Buffer }[]).map((r) => r.bytes)).toString('utf8');
    expect(stored === scanFile('marram-3-before.csv')).toBe(true);
  });

  it('recomputes the stored finding to the same result', async () => {
    const { body } = await ina.post<{ same: boolean }>(`/api/jobs/147/findings/${spread.id}/recompute`);
    expect(body.same).toBe(true);
  });

  it('signs, matches, balances and proves', async () => {
    const signed = await ina.post<Decision>('/api/jobs/147/decisions', {
      body: measures(['replace-module', 'M07']),
      note: 'as found',
      findingIds: [spread.id],
      baseVersion: 0,
    });
    expect(signed.status).toBe(201);
    replace = signed.body;
    const stock = (await ina.get<StockPart[]>('/api/stock')).body;
    const match = await ina.post<Finding>('/api/jobs/147/findings', {
      topic: 'match',
      spreadFindingId: spread.id,
      moduleId: 'M07',
      stockIds: stock.map((s) => s.id),
      temperatureC: null,
    });
    expect((match.body.result as MatchRow[]).map((r) => r.donor.label)).toEqual(['S-014', 'S-022', 'S-031']);
    const donor = stock.find((s) => s.label === 'S-014')!;
    expect(
      (
        await ina.post('/api/jobs/147/decisions', {
          body: { topic: 'match', choices: [{ place: 'M07', partId: donor.id }] },
          findingIds: [match.body.id],
          baseVersion: 0,
        })
      ).status,
    ).toBe(201);
    const plan = await ina.post<Finding>('/api/jobs/147/findings', {
      topic: 'balance',
      spreadFindingId: spread.id,
      stockId: donor.id,
      packCellVoltageV: 3.52,
      currentA: 8,
      bleederMilliamp: 50,
      goal: 'level-when-full',
    });
    expect(plan.body.result).toMatchObject({ direction: 'discharge' });
    expect(
      (
        await ina.post('/api/jobs/147/decisions', {
          body: {
            topic: 'balance',
            lines: [{ place: 'M07', currentA: 8, goal: 'level-when-full', method: 'supply' }],
          },
          findingIds: [plan.body.id],
          baseVersion: 0,
        })
      ).status,
    ).toBe(201);
    expect((await sendScan(scanFile('marram-3-after.csv'), 'after')).status).toBe(201);
    const findings = (await ina.get<Finding[]>('/api/jobs/147/findings')).body;
    const after = findings.find((f) => f.topic === 'spread' && f.parameters.role === 'after')!;
    const proof = await ina.post<Finding>('/api/jobs/147/findings', {
      topic: 'prove',
      beforeFindingId: spread.id,
      afterFindingId: after.id,
      replacedModules: ['M07'],
    });
    expect(proof.body.result).toMatchObject({ passed: true, stillOdd: [] });
    for (const f of [match.body, plan.body, proof.body])
      expect((await ina.post<{ same: boolean }>(`/api/jobs/147/findings/${f.id}/recompute`)).body.same).toBe(
        true,
      );
  });

  it('answers every stored result whole, and passes over one of a version that stored less', async () => {
    // Poles that read nothing at all: the leak has no upper bound, which no null may stand for.
    const poles = { kind: 'poles', side: 'pack', packV: 374, negativeV: 0, positiveV: 0, meterOhm: 10e6 };
    expect(
      (await ina.post('/api/jobs/147/insulation', { observation: poles, managementDisconnected: true }))
        .status,
    ).toBe(201);
    await bench.settled();
    const topics = new Set<string>();
    const { sequelize } = bench.running.store;
    const [rows] = (await sequelize.query(
      'SELECT f.id, f.topic, f.result, j.number FROM findings f JOIN jobs j ON j.id = f.job_id',
    )) as unknown as [{ id: string; topic: string; result: unknown; number: number }[], unknown];
    for (const row of rows) {
      const { status, body } = await ina.get<Finding>(`/api/jobs/${row.number}/findings/${row.id}`);
      expect([row.topic, status]).toEqual([row.topic, 200]);
      expect(body.result).toEqual(row.result);
      topics.add(row.topic);
    }
    expect([...topics].sort()).toEqual(['balance', 'insulation', 'match', 'prove', 'spread']);
    const balance = rows.find((r) => r.topic === 'balance')!;
    const old = randomUUID();
    const owner = connect(bench.url);
    await owner.query(
      `INSERT INTO findings (id, job_id, topic, subject, core_version, profile_version, input_ids, parameters, result, headline, digest, created_at)
       SELECT :old, job_id, topic, subject, '0.1.0', profile_version, input_ids, parameters, result - 'chargeAh', headline, digest, now()
         FROM findings WHERE id = :id`,
      { replacements: { old, id: balance.id } },
    );
    await owner.close();
    const one = await ina.get<Problem>(`/api/jobs/${balance.number}/findings/${old}`);
    expect(one.status).toBe(409);
    expect(one.body.detail).toMatch(
      /Version 0\.1\.0 stored this balance without .*result\.chargeAh.*Compute it anew/,
    );
    const { status, body: list } = await ina.get<Finding[]>(`/api/jobs/${balance.number}/findings`);
    expect(status).toBe(200);
    expect(list.map((f) => f.id)).not.toContain(old);
  });

  it('shows the second of two editors both versions and stores nothing of theirs', async () => {
    const mine = {
      body: measures(['replace-module', 'M07'], ['replace-module', 'M16']),
      note: '',
      findingIds: [],
      baseVersion: replace.version,
    };
    const tomas = await bench.as('Tomas Rook');
    expect((await tomas.post('/api/jobs/147/decisions', mine)).status).toBe(201);
    const late = await ina.post<Problem>('/api/jobs/147/decisions', {
      ...mine,
      body: measures(['monitor'], ['replace-module', 'M07', { dropped: 'the owner waits' }]),
    });
    expect(late.status).toBe(409);
    expect(late.body.current).toMatchObject({
      version: 2,
      signedBy: 'Tomas Rook',
      body: { measures: [{ place: 'M07' }, { place: 'M16' }] },
    });
    expect(await count("decisions WHERE topic = 'measures'")).toBe(2);
  });
});

describe('what the database itself refuses', () => {
  it.each(['observations', 'findings', 'decisions', 'audit', 'scans', 'scan_chunks', 'scan_sources'])(
    '%s cannot be changed or removed',
    async (table) => {
      const { sequelize } = bench.running.store;
      if ((await count(table)) === 0) return;
      await expect(sequelize.query(`DELETE FROM ${table}`)).rejects.toThrow(/permission denied/);
      const owner = connect(bench.url);
      await expect(owner.query(`DELETE FROM ${table}`)).rejects.toThrow(/append-only/);
      await owner.close();
    },
  );
});
