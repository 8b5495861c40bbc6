import { SaveProfileSchema, type StoredProfile } from '@cellmend/contract/pack';
import { checkProfile, modernProfile, safetyFactsOf } from '@cellmend/core/pack';
import { randomUUID } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import type { z } from 'zod';
import type { PackProfileRow } from '../db/rows';
import { Refusal, notFound } from '../domain/refusal';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { mustSign } from '../safety/observe';
import { closeGates } from '../safety/service';

const view = (row: PackProfileRow, jobs: number): StoredProfile => ({
  id: row.id,
  name: row.name,
  version: row.version,
  updatedAt: row.updatedAt.toISOString(),
  jobs,
  profile: row.profile,
});

/** Profiles with an error cannot be stored; each fault is named with its place. */
function sound(body: unknown): z.infer<typeof SaveProfileSchema> {
  const given = body as { profile?: unknown };
  const input = SaveProfileSchema.parse(
    typeof body === 'object' && body !== null && 'profile' in body
      ? { ...body, profile: modernProfile(given.profile) }
      : body,
  );
  const errors = checkProfile(input.profile).faults.filter((f) => f.level === 'error');
  if (errors.length > 0)
    throw new Refusal('notPossible', 'Profile not consistent', errors[0]!.what, {
      where: errors[0]!.where,
      fields: errors.map((f) => ({ field: f.where, message: f.what })),
    });
  return input;
}

async function jobsOf(store: Store): Promise<Map<string, number>> {
  const rows = await store.sequelize.query<{ id: string; n: string }>(
    'SELECT p.profile_id AS id, count(*) AS n FROM jobs j JOIN packs p ON p.id = j.pack_id GROUP BY 1',
    { type: QueryTypes.SELECT },
  );
  return new Map(rows.map((r) => [r.id, Number(r.n)]));
}

export async function changeProfile(
  store: Store,
  doing: Doing,
  id: string,
  body: unknown,
): Promise<StoredProfile> {
  const { profile, baseVersion } = sound(body);
  const row = await store.models.PackProfile.findByPk(id, {
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  if (!row) throw notFound('That pack profile');
  const jobs = (await jobsOf(store)).get(id) ?? 0;
  if (row.version !== baseVersion)
    throw new Refusal(
      'conflict',
      'Changed meanwhile',
      `“${row.name}” was saved by somebody else meanwhile (version ${row.version}).`,
      { current: view(row, jobs) },
    );
  const same = (key: 'channels' | 'modules'): boolean =>
    JSON.stringify(row.profile[key].map((x) => x.id)) === JSON.stringify(profile[key].map((x) => x.id));
  if (jobs > 0 && !(same('channels') && same('modules')))
    throw new Refusal(
      'conflict',
      'In use',
      `${jobs} ${jobs === 1 ? 'job uses' : 'jobs use'} this profile: its channels and modules cannot be renamed or counted anew. Save it under another name.`,
    );
  const before = safetyFactsOf(row.profile);
  const now = safetyFactsOf(profile);
  const changed = Object.keys(now).filter((k) => before[k] !== now[k]);
  // What keeps people safe is signed by somebody qualified, and closes every gate that was opened by the old figures.
  if (changed.length > 0) mustSign(doing);
  await row.update(
    { profile, name: profile.name, version: row.version + 1, updatedAt: new Date() },
    { transaction: doing.tx },
  );
  await audit(
    store,
    doing,
    null,
    'pack profile saved',
    profile.name,
    [
      `version ${row.version}`,
      ...(changed.length > 0 ? [`changed for safety: ${changed.join(', ')}`] : []),
    ].join('; '),
  );
  if (changed.length > 0) await closeGates(store, doing, id, changed);
  await announce(store, doing.tx, 'packs', null);
  return view(row, jobs);
}

export async function listProfiles(store: Store): Promise<StoredProfile[]> {
  const jobs = await jobsOf(store);
  const rows = await store.models.PackProfile.findAll({ order: [['name', 'ASC']] });
  return rows.map((r) => view(r, jobs.get(r.id) ?? 0));
}

export async function findProfile(store: Store, id: string): Promise<StoredProfile> {
  const row = await store.models.PackProfile.findByPk(id);
  if (!row) throw notFound('That pack profile');
  return view(row, (await jobsOf(store)).get(row.id) ?? 0);
}

export async function addProfile(store: Store, doing: Doing, body: unknown): Promise<StoredProfile> {
  const { profile } = sound(body);
  const row = await store.models.PackProfile.create(
    { id: randomUUID(), name: profile.name, profile },
    { transaction: doing.tx },
  );
  await audit(store, doing, null, 'pack profile made', profile.name);
  await announce(store, doing.tx, 'packs', null);
  return view(row, 0);
}
