import { FIRST_RULES, WorkshopSettingsSchema, type WorkshopSettings } from '@cellmend/contract/safety';
import type { Transaction } from 'sequelize';
import { readSetting } from '../domain/settings';
import type { Store } from '../domain/store';
import { newestRules } from './rules';

/** The workshop's own rules; careful defaults until somebody sets them. Those of the gate are the newest that were signed. */
export async function workshopSettings(store: Store, tx?: Transaction): Promise<WorkshopSettings> {
  const kept = await readSetting(store, 'workshop-rules', tx);
  const { version: rulesVersion, ...rules } = await newestRules(store, tx);
  return WorkshopSettingsSchema.parse({
    ...FIRST_RULES,
    ...(kept as Partial<WorkshopSettings> | undefined),
    ...rules,
    rulesVersion,
  });
}
