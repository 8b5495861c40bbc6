import DataLoader from 'dataloader';
import { createRequire } from 'node:module';
import { QueryTypes, type InferAttributes, type Model, type ModelStatic, type Transaction } from 'sequelize';
import type { Store } from '../domain/store';

// A CommonJS module whose names an import does not see.
const { injectReplacements } = createRequire(import.meta.url)(
  'sequelize/lib/utils/sql',
) as typeof import('sequelize/lib/utils/sql');

/** Statements that go to the database in one message, at most. */
const MOST_TOGETHER = 40;
const loaders = new WeakMap<Store, DataLoader<string, unknown[]>>();

/**
 * Reads rows. What is asked for in the same turn of the event loop goes to the database in one message and comes back in one: a page is
 * made of some twenty short questions, and each way there and back costs more than most answers. Within a transaction, which has one
 * connection, a question goes by itself.
 * @param sql one SELECT, without a semicolon; `:name` stands for what `replacements` holds
 * @example
 *   const [job] = await select<{ id: string }>(store, 'SELECT id FROM jobs WHERE number = :number', { number: 12 });
 */
export async function select<T extends object>(
  store: Store,
  sql: string,
  replacements: Record<string, unknown> = {},
  tx?: Transaction,
): Promise<T[]> {
  if (tx) return store.sequelize.query<T>(sql, { replacements, type: QueryTypes.SELECT, transaction: tx });
  let own = loaders.get(store);
  if (!own)
    loaders.set(
      store,
      (own = new DataLoader((statements) => together(store, statements), {
        cache: false,
        maxBatchSize: MOST_TOGETHER,
        // After everything that has arrived by now was begun: what several people ask at once goes together too.
        batchScheduleFn: (send) => void setImmediate(send),
      })),
    );
  return (await own.load(injectReplacements(sql, dialectOf(store), replacements))) as T[];
}

/** Knows how PostgreSQL wants its values written. */
const dialectOf = (store: Store): Parameters<typeof injectReplacements>[1] =>
  (store.sequelize as unknown as { dialect: Parameters<typeof injectReplacements>[1] }).dialect;

/** Rows of a table with the names that the product has for its columns; `rest` is what follows FROM table. */
export const selectRows = <M extends Model>(
  store: Store,
  model: ModelStatic<M>,
  rest: string,
  replacements: Record<string, unknown> = {},
  tx?: Transaction,
): Promise<InferAttributes<M>[]> =>
  select(store, `SELECT ${columnsOf(model)} FROM ${model.tableName} ${rest}`, replacements, tx);

const columns = new WeakMap<ModelStatic<Model>, string>();
/** `"job_id" AS "jobId", …` of a table. */
export function columnsOf<M extends Model>(model: ModelStatic<M>): string {
  let list = columns.get(model);
  if (list === undefined)
    columns.set(
      model,
      (list = Object.entries(model.getAttributes())
        .map(([name, { field }]) => `${model.tableName}."${field ?? name}" AS "${name}"`)
        .join(', ')),
    );
  return list;
}

interface Result {
  rows: unknown[];
}
/** Several statements in one message. Where one fails, each is asked by itself, so that only that one is answered with its error. */
async function together(store: Store, statements: readonly string[]): Promise<(unknown[] | Error)[]> {
  const alone = (sql: string): Promise<unknown[]> => store.sequelize.query(sql, { type: QueryTypes.SELECT });
  if (statements.length === 1) return [await alone(statements[0]!).catch(asError)];
  try {
    const [, results] = (await store.sequelize.query(statements.join(';\n'))) as [unknown, unknown];
    return (results as Result[]).map((r) => r.rows);
  } catch {
    return Promise.all(statements.map((sql) => alone(sql).catch(asError)));
  }
}
const asError = (error: unknown): Error => (error instanceof Error ? error : new Error(String(error)));
