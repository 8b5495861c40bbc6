import { FIRST_RULES, WorkshopSettingsSchema, type WorkshopSettings } from '@cellmend/contract/safety';
import type { Transaction } from 'sequelize';
import { readSetting, writeSetting } from '../domain/settings';
import { audit, type Doing, type Store } from '../domain/store';

/** The workshop's own rules; careful defaults until somebody sets them. */
export async function workshopSettings(store: Store, tx?: Transaction): Promise<WorkshopSettings> {
  const kept = await readSetting(store, 'workshop-rules', tx);
  return WorkshopSettingsSchema.parse({
    ...FIRST_RULES,
    ...(kept as Partial<WorkshopSettings> | undefined),
  });
}

export async function saveSettings(store: Store, doing: Doing, body: unknown): Promise<WorkshopSettings> {
  const settings = WorkshopSettingsSchema.parse(body);
  await writeSetting(store, doing.tx, 'workshop-rules', settings);
  await audit(store, doing, null, 'workshop rules changed', '', JSON.stringify(settings));
  return settings;
}
