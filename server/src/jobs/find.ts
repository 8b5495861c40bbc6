import type { PackProfile } from '@cellmend/core/pack';
import { LRUCache } from 'lru-cache';
import type { InferAttributes, Transaction } from 'sequelize';
import { z } from 'zod';
import type { JobRow, PackRow } from '../db/rows';
import type { Store } from '../domain/store';
import { columnsOf, select } from '../db/select';
import { notFound } from '../domain/refusal';

/** As it stands in an address: digits alone. */
const NumberSchema = z.coerce
  .string()
  .regex(/^[1-9]\d{0,8}$/)
  .transform(Number);

export interface FoundJob {
  job: JobRow;
  pack: PackRow;
  profile: PackProfile;
  version: number;
}

/** A job with its pack and the profile of that. */
export async function withPack(store: Store, job: JobRow, tx?: Transaction): Promise<FoundJob> {
  const [found] = await select<{
    id: string;
    label: string;
    profileId: string;
    createdAt: Date;
    version: number;
  }>(
    store,
    `SELECT k.id, k.label, k.profile_id AS "profileId", k.created_at AS "createdAt", p.version
       FROM packs k JOIN pack_profiles p ON p.id = k.profile_id WHERE k.id = :id`,
    { id: job.packId },
    tx,
  );
  const { version, ...row } = found!;
  const pack = store.models.Pack.build(row, { raw: true, isNewRecord: false });
  return { job, pack, profile: await profileOf(store, row.profileId, version, tx), version };
}

/** A version of a profile never changes: it is read once, and nobody may change what others read. */
const profiles = new WeakMap<Store, LRUCache<string, PackProfile>>();
const MOST_PROFILES = 200;
export async function profileOf(
  store: Store,
  id: string,
  version: number,
  tx?: Transaction,
): Promise<PackProfile> {
  let own = profiles.get(store);
  if (!own) profiles.set(store, (own = new LRUCache({ max: MOST_PROFILES })));
  const known = own.get(`${id} ${version}`);
  if (known) return known;
  const row = (await store.models.PackProfile.findByPk(id, { transaction: tx ?? null }))!;
  const profile = frozen(row.profile);
  // Within a transaction that may yet be taken back a version is not remembered.
  if (!tx && row.version === version) own.set(`${id} ${version}`, profile);
  return profile;
}
function frozen<T>(value: T): T {
  if (typeof value === 'object' && value !== null && !Object.isFrozen(value)) {
    Object.freeze(value);
    for (const v of Object.values(value)) frozen(v);
  }
  return value;
}

/** The job of a number in the address. @throws 404 */
export async function findJob(store: Store, number: unknown, tx?: Transaction): Promise<FoundJob> {
  const parsed = NumberSchema.safeParse(number);
  const { Job, Pack } = store.models;
  const [found] = parsed.success
    ? await select<
        InferAttributes<JobRow> & { packLabel: string; profileId: string; packAt: Date; version: number }
      >(
        store,
        `SELECT ${columnsOf(Job)}, k.label AS "packLabel", k.profile_id AS "profileId", k.created_at AS "packAt", p.version
           FROM jobs JOIN packs k ON k.id = jobs.pack_id JOIN pack_profiles p ON p.id = k.profile_id WHERE jobs.number = :number`,
        { number: parsed.data },
        tx,
      )
    : [];
  if (!found) throw notFound(`Job ${String(number).slice(0, 20)}`);
  const { packLabel: label, profileId, packAt: createdAt, version, ...row } = found;
  const job = Job.build(row, { raw: true, isNewRecord: false });
  const pack = Pack.build({ id: job.packId, label, profileId, createdAt }, { raw: true, isNewRecord: false });
  return { job, pack, profile: await profileOf(store, profileId, version, tx), version };
}

/** Numbers never change their job. */
const idByNumber = new WeakMap<Store, LRUCache<string, string>>();
const MOST_NUMBERS = 1000;

/** The id of a job; asked of the database once, so that what is read by it need not wait for the job. @throws 404 */
export async function jobIdOf(store: Store, number: unknown): Promise<string> {
  let known = idByNumber.get(store);
  if (!known) idByNumber.set(store, (known = new LRUCache({ max: MOST_NUMBERS })));
  const name = String(number);
  const before = known.get(name);
  if (before) return before;
  const { job } = await findJob(store, number);
  known.set(name, job.id);
  return job.id;
}
