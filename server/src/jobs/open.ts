import { NewJobSchema, type Vehicle } from '@cellmend/contract/jobs';
import { bodyOf } from '@cellmend/contract/decisions';
import { ENDINGS } from '@cellmend/core/route';
import { randomUUID } from 'node:crypto';
import { QueryTypes, type Transaction } from 'sequelize';
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

/** Every vehicle that was here, with its packs, odometer and jobs over the years. */
export async function listVehicles(store: Store): Promise<Vehicle[]> {
  const select = { type: QueryTypes.SELECT as const };
  const vehicles = await store.models.Vehicle.findAll({ order: [['name', 'ASC']], limit: 2000 });
  const packs = await store.sequelize.query<Vehicle['packs'][number] & { vehicle: string }>(
    `SELECT DISTINCT ON (f.vehicle_id, k.id) f.vehicle_id AS vehicle, k.id, k.label, p.name AS profile, p.id AS "profileId",
        f.seq = (SELECT max(seq) FROM pack_fittings n WHERE n.pack_id = k.id) AS now
       FROM pack_fittings f JOIN packs k ON k.id = f.pack_id JOIN pack_profiles p ON p.id = k.profile_id
      WHERE f.vehicle_id IS NOT NULL ORDER BY f.vehicle_id, k.id, f.seq DESC`,
    select,
  );
  const jobs = await store.sequelize.query<{
    vehicle: string;
    number: number;
    title: string;
    openedAt: Date;
    intake: unknown;
    intakeAt: Date | null;
    sheet: unknown;
  }>(
    `SELECT j.vehicle_id AS vehicle, j.number, j.title, j.opened_at AS "openedAt",
        i.body AS intake, i.signed_at AS "intakeAt", h.body AS sheet
       FROM jobs j
       LEFT JOIN LATERAL (SELECT body, signed_at FROM decisions d WHERE d.job_id = j.id AND d.topic = 'intake' ORDER BY version DESC LIMIT 1) i ON true
       LEFT JOIN LATERAL (SELECT body FROM decisions d WHERE d.job_id = j.id AND d.topic = 'hand-over' ORDER BY version DESC LIMIT 1) h ON true
      WHERE j.vehicle_id IS NOT NULL ORDER BY j.opened_at DESC`,
    select,
  );
  return vehicles.map((v) => {
    const own = jobs.filter((j) => j.vehicle === v.id);
    return {
      id: v.id,
      name: v.name,
      plate: v.plate,
      packs: packs
        .filter((p) => p.vehicle === v.id)
        .map(({ id, label, profile, profileId, now }) => ({ id, label, profile, profileId, now })),
      odometer: own.flatMap((j) => {
        const body = j.intake ? bodyOf(j.intake) : null;
        return body?.topic === 'intake' && body.odometerKm !== null && j.intakeAt
          ? [{ at: j.intakeAt.toISOString(), km: body.odometerKm, job: j.number }]
          : [];
      }),
      jobs: own.map((j) => {
        const sheet = j.sheet ? bodyOf(j.sheet) : null;
        return {
          number: j.number,
          title: j.title,
          openedAt: j.openedAt.toISOString(),
          ending: sheet?.topic === 'hand-over' && sheet.ending ? ENDINGS[sheet.ending] : null,
        };
      }),
    };
  });
}
