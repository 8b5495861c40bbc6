import { NewJobSchema } from '@cellmend/contract/jobs';
import { randomUUID } from 'node:crypto';
import { type Transaction } from 'sequelize';
import type { PackRow, VehicleRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { refreshNeed } from './need';

/** The pack that is in a vehicle now; null where none is. */
async function packIn(store: Store, vehicleId: string, tx: Transaction): Promise<PackRow | null> {
  const rows = await store.sequelize.query(
    `SELECT k.* FROM packs k JOIN (SELECT DISTINCT ON (pack_id) pack_id, vehicle_id, seq FROM pack_fittings ORDER BY pack_id, seq DESC) f
       ON f.pack_id = k.id WHERE f.vehicle_id = :vehicleId ORDER BY f.seq DESC LIMIT 1`,
    { replacements: { vehicleId }, model: store.models.Pack, mapToModel: true, transaction: tx },
  );
  return rows[0] ?? null;
}

/** The vehicle a job is about: one that was here before, by choice or by its plate, else a new one. */
async function vehicleFor(
  store: Store,
  tx: Transaction,
  input: { vehicleId: string | null; plate: string; title: string },
): Promise<VehicleRow> {
  if (input.vehicleId) {
    const known = await store.models.Vehicle.findByPk(input.vehicleId, { transaction: tx });
    if (!known) throw notFound('That vehicle');
    return known;
  }
  if (input.plate) {
    const known = await store.models.Vehicle.findOne({
      where: store.sequelize.where(
        store.sequelize.fn('lower', store.sequelize.col('plate')),
        input.plate.toLowerCase(),
      ),
      transaction: tx,
    });
    if (known) return known;
  }
  return store.models.Vehicle.create(
    { id: randomUUID(), name: input.title, plate: input.plate || null },
    { transaction: tx },
  );
}

/** Opens a job on a vehicle and a pack: known ones with their history, or new ones. */
export async function createJob(store: Store, doing: Doing, body: unknown): Promise<{ number: number }> {
  const { vehicleId, plate, packId, packProfileId, ...input } = NewJobSchema.parse(body);
  const { tx } = doing;
  const { models } = store;
  if (packProfileId && !(await models.PackProfile.findByPk(packProfileId, { transaction: tx })))
    throw notFound('That pack profile');
  const chosen = packId ? await models.Pack.findByPk(packId, { transaction: tx }) : null;
  if (packId && !chosen) throw notFound('That pack');
  const vehicle = await vehicleFor(store, tx, { vehicleId, plate, title: input.title });
  const inIt = chosen ?? (await packIn(store, vehicle.id, tx));
  const known = inIt && (!packProfileId || inIt.profileId === packProfileId || chosen) ? inIt : null;
  if (!known && !packProfileId)
    throw new Refusal('unacceptable', 'Cannot be accepted', 'That vehicle has no pack yet.', {
      fields: [{ field: 'packProfileId', message: 'The profile of its pack.' }],
    });
  const pack =
    known ??
    (await models.Pack.create(
      { id: randomUUID(), profileId: packProfileId! },
      { transaction: tx, returning: true },
    ));
  const job = await models.Job.create(
    { id: randomUUID(), ...input, vehicleId: vehicle.id, packId: pack.id },
    { transaction: tx, returning: true },
  );
  await job.reload({ transaction: tx });
  if (known?.id !== (await packIn(store, vehicle.id, tx))?.id || !known)
    await models.PackFitting.create(
      { packId: pack.id, vehicleId: vehicle.id, jobId: job.id, personId: doing.person.id },
      { transaction: tx },
    );
  await audit(store, doing, job.id, 'job opened', job.title, vehicle.plate ?? '');
  await refreshNeed(store, tx, job.id);
  await announce(store, tx, 'jobs', job.number);
  return { number: job.number };
}
