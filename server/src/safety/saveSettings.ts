import {
  SAFETY_RULES,
  WorkshopSettingsSchema,
  type SafetyRules,
  type WorkshopSettings,
} from '@cellmend/contract/safety';
import { QueryTypes } from 'sequelize';
import { writeSetting } from '../domain/settings';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { refreshNeed } from '../jobs/need';
import { mustSign } from './observe';
import { newestRules, sameRules, signRules } from './rules';
import { workshopSettings } from './settings';

/** Saves what a lead set; what keeps people safe at the gate is a new version, signed by a qualified person. @throws 403 */
export async function saveSettings(store: Store, doing: Doing, body: unknown): Promise<WorkshopSettings> {
  const settings = WorkshopSettingsSchema.parse(body);
  const rules = Object.fromEntries(SAFETY_RULES.map((k) => [k, settings[k]])) as unknown as SafetyRules;
  const plain = Object.fromEntries(
    Object.entries(settings).filter(([k]) => k !== 'rulesVersion' && !SAFETY_RULES.includes(k as never)),
  );
  // One version after the other.
  await store.sequelize.query('SELECT pg_advisory_xact_lock(714004)', { transaction: doing.tx });
  if (!sameRules(rules, await newestRules(store, doing.tx))) {
    mustSign(doing);
    const version = await signRules(store, doing, rules);
    await audit(store, doing, null, 'rules of the gate signed', `version ${version}`, JSON.stringify(rules));
    await lookAgain(store, doing);
  }
  await writeSetting(store, doing.tx, 'workshop-rules', plain);
  await audit(store, doing, null, 'workshop rules changed', '', JSON.stringify(plain));
  return workshopSettings(store, doing.tx);
}

/** A stricter rule applies at once: what the board shows of every open lock-out is worked out anew. */
async function lookAgain(store: Store, doing: Doing): Promise<void> {
  const open = await store.sequelize.query<{ id: string; number: number }>(
    `SELECT j.id, j.number FROM jobs j WHERE j.closed_at IS NULL AND EXISTS (
       SELECT 1 FROM observations o WHERE o.job_id = j.id AND o.topic = 'make-safe' AND o.kind = 'begin') ORDER BY j.number`,
    { type: QueryTypes.SELECT, transaction: doing.tx },
  );
  for (const { id, number } of open) {
    await refreshNeed(store, doing.tx, id);
    await announce(store, doing.tx, 'safety', number);
  }
}
