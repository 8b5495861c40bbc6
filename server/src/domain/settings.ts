import type { Transaction } from 'sequelize';
import { select } from '../db/select';
import type { Store } from './store';

/** A setting of the workshop as it is kept; undefined until somebody has set it. */
export async function readSetting(store: Store, name: string, tx?: Transaction): Promise<unknown> {
  const [row] = await select<{ value: unknown }>(
    store,
    'SELECT value FROM settings WHERE name = :name',
    { name },
    tx,
  );
  return row?.value;
}

export async function writeSetting(
  store: Store,
  tx: Transaction,
  name: string,
  value: unknown,
): Promise<void> {
  await store.sequelize.query(
    'INSERT INTO settings (name, value) VALUES (:name, :value) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value',
    { replacements: { name, value: JSON.stringify(value) }, transaction: tx },
  );
}
