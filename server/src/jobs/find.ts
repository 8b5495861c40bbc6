import type { PackProfile } from '@cellmend/core/pack';
import type { Transaction } from 'sequelize';
import { z } from 'zod';
import type { JobRow, PackRow } from '../db/rows';
import type { Store } from '../domain/store';
import { notFound } from '../domain/refusal';

const NumberSchema = z.coerce.number().int().min(1).max(2_000_000_000);

export interface FoundJob {
  job: JobRow;
  pack: PackRow;
  profile: PackProfile;
  version: number;
}

/** A job with its pack and the profile of that. */
export async function withPack(store: Store, job: JobRow, tx?: Transaction): Promise<FoundJob> {
  const transaction = tx ?? null;
  const pack = (await store.models.Pack.findByPk(job.packId, { transaction }))!;
  const profile = (await store.models.PackProfile.findByPk(pack.profileId, { transaction }))!;
  return { job, pack, profile: profile.profile, version: profile.version };
}

/** The job of a number in the address. @throws 404 */
export async function findJob(store: Store, number: unknown, tx?: Transaction): Promise<FoundJob> {
  const parsed = NumberSchema.safeParse(number);
  const job = parsed.success
    ? await store.models.Job.findOne({ where: { number: parsed.data }, transaction: tx ?? null })
    : null;
  if (!job) throw notFound(`Job ${String(number).slice(0, 20)}`);
  return withPack(store, job, tx);
}
