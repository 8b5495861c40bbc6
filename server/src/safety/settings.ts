import { FIRST_RULES, WorkshopSettingsSchema, type WorkshopSettings } from '@cellmend/contract/safety';
import { QueryTypes, type Transaction } from 'sequelize';
import { audit, type Doing, type Store } from '../domain/store';

/** The workshop's own rules; careful defaults until somebody sets them. */
export async function workshopSettings(store: Store, tx?: Transaction): Promise<WorkshopSettings> {
  const [row] = await store.sequelize.query<{ value: unknown }>(
    "SELECT value FROM settings WHERE name = 'workshop-rules'",
    { type: QueryTypes.SELECT, ...(tx ? { transaction: tx } : {}) },
  );
  return WorkshopSettingsSchema.parse({
    ...FIRST_RULES,
    ...(row?.value as Partial<WorkshopSettings> | undefined),
  });
}

export async function saveSettings(store: Store, doing: Doing, body: unknown): Promise<WorkshopSettings> {
  const settings = WorkshopSettingsSchema.parse(body);
  await store.sequelize.query(
    "INSERT INTO settings (name, value) VALUES ('workshop-rules', :value) ON CONFLICT (name) DO UPDATE SET value = EXCLUDED.value",
    { replacements: { value: JSON.stringify(settings) }, transaction: doing.tx },
  );
  await audit(store, doing, null, 'workshop rules changed', '', JSON.stringify(settings));
  return settings;
}
