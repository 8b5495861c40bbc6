import { FIRST_RULES, WorkshopSettingsSchema, type WorkshopSettings } from '@cellmend/contract/safety';
import type { Transaction } from 'sequelize';
import { readSetting } from '../domain/settings';
import { inTurn } from '../db/inTurn';
import type { Store } from '../domain/store';
import { newestRules } from './rules';

/** The workshop's own rules; careful defaults until somebody sets them. Those of the gate are the newest that were signed. */
export async function workshopSettings(store: Store, tx?: Transaction): Promise<WorkshopSettings> {
  const [kept, { version: rulesVersion, ...rules }] = await inTurn(tx, [
    () => readSetting(store, 'workshop-rules', tx),
    () => newestRules(store, tx),
  ]);
  return WorkshopSettingsSchema.parse({
    ...FIRST_RULES,
    ...(kept as Partial<WorkshopSettings> | undefined),
    ...rules,
    rulesVersion,
  });
}
