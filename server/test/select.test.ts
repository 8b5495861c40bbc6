import { afterAll, beforeAll, describe, expect, it, vi, type MockInstance } from 'vitest';
import { connect } from '../src/db/connect';
import { select } from '../src/db/select';
import type { Store } from '../src/domain/store';
import { newDatabase } from './harness';

describe('questions that go to the database together', () => {
  let store: Store;
  let sent: MockInstance;
  let drop: () => Promise<void>;
  beforeAll(async () => {
    const database = await newDatabase();
    const sequelize = connect(database.url);
    sent = vi.spyOn(sequelize, 'query');
    store = { sequelize } as Store;
    drop = async () => {
      await sequelize.close();
      await database.drop();
    };
  });
  afterAll(() => drop());
  const ask = (n: number): Promise<{ n: number; said: string }[]> =>
    select(store, 'SELECT :n::int AS n, :said AS said', { n, said: "it's; :n -- 'all'" });

  it('are one message, and each is answered with its own rows', async () => {
    sent.mockClear();
    const answers = await Promise.all([1, 2, 3].map(ask));
    expect(answers).toEqual([1, 2, 3].map((n) => [{ n, said: "it's; :n -- 'all'" }]));
    expect(sent).toHaveBeenCalledTimes(1);
  });

  it('keep the types of their columns, and none stands for no rows', async () => {
    const [[row], none] = await Promise.all([
      select<{ at: Date; list: number[] }>(
        store,
        `SELECT timestamptz '2026-03-01T10:00:00Z' AS at, '[1,2]'::jsonb AS list`,
      ),
      select(store, 'SELECT 1 WHERE false'),
    ]);
    expect(row).toEqual({ at: new Date('2026-03-01T10:00:00Z'), list: [1, 2] });
    expect(none).toEqual([]);
  });

  it('fail alone: the others are answered all the same', async () => {
    const [good, bad, alsoGood] = await Promise.allSettled([
      ask(1),
      select(store, 'SELECT * FROM nowhere'),
      ask(2),
    ]);
    expect(bad).toMatchObject({
      status: 'rejected',
      reason: { message: expect.stringContaining('nowhere') },
    });
    expect([good, alsoGood].map((r) => r?.status)).toEqual(['fulfilled', 'fulfilled']);
  });

  it('see what their own transaction wrote, and only that one does', async () => {
    await store.sequelize.query('CREATE TABLE kept (n int)');
    await store.sequelize.transaction(async (tx) => {
      await store.sequelize.query('INSERT INTO kept VALUES (1)', { transaction: tx });
      expect(await select(store, 'SELECT n FROM kept', {}, tx)).toEqual([{ n: 1 }]);
      expect(await select(store, 'SELECT n FROM kept')).toEqual([]);
    });
  });
});
