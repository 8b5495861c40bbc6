import { bodyOf } from '@cellmend/contract/decisions';
import { VehicleFactsSchema, type Vehicle, type VehicleHistory } from '@cellmend/contract/jobs';
import { ENDINGS } from '@cellmend/core/route';
import type { Measured } from '@cellmend/core/pack';
import { QueryTypes } from 'sequelize';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { reportOf } from '../findings/stored';

/** Every vehicle that was here, with its packs, odometer and jobs over the years. */
export async function listVehicles(store: Store, only?: string): Promise<Vehicle[]> {
  const select = { type: QueryTypes.SELECT as const };
  const vehicles = await store.models.Vehicle.findAll({
    ...(only ? { where: { id: only } } : {}),
    order: [['name', 'ASC']],
    limit: 2000,
  });
  if (vehicles.length === 0) return [];
  const replacements = { ids: vehicles.map((v) => v.id) };
  const packs = await store.sequelize.query<Vehicle['packs'][number] & { vehicle: string }>(
    `SELECT DISTINCT ON (f.vehicle_id, k.id) f.vehicle_id AS vehicle, k.id, k.label, p.name AS profile, p.id AS "profileId",
        f.seq = (SELECT max(seq) FROM pack_fittings n WHERE n.pack_id = k.id) AS now
       FROM pack_fittings f JOIN packs k ON k.id = f.pack_id JOIN pack_profiles p ON p.id = k.profile_id
      WHERE f.vehicle_id IN (:ids) ORDER BY f.vehicle_id, k.id, f.seq DESC`,
    { ...select, replacements },
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
      WHERE j.vehicle_id IN (:ids) ORDER BY j.opened_at DESC`,
    { ...select, replacements },
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

const CORRECTED = 'vehicle corrected';
const figureOf = (m: Measured): { value: number; low: number; high: number } | null =>
  m.measured ? { value: m.value, low: m.low, high: m.high } : null;

/** One vehicle over the years: what the newest finding of each end of each job measured of it. */
export async function vehicleHistory(store: Store, id: string): Promise<VehicleHistory> {
  const [vehicle] = await listVehicles(store, id);
  if (!vehicle) throw notFound('That vehicle');
  const jobs = await store.sequelize.query<{ id: string; number: number; pack: string }>(
    'SELECT j.id, j.number, k.label AS pack FROM jobs j JOIN packs k ON k.id = j.pack_id WHERE j.vehicle_id = :id',
    { type: QueryTypes.SELECT, replacements: { id } },
  );
  const rows = await store.models.Finding.findAll({
    where: { jobId: jobs.map((j) => j.id), topic: 'spread' },
    order: [['createdAt', 'DESC']],
    limit: 400,
  });
  const seen = new Set<string>();
  const measured = rows.flatMap((row) => {
    const key = `${row.jobId} ${row.subject}`;
    if (seen.has(key)) return [];
    seen.add(key);
    const job = jobs.find((j) => j.id === row.jobId)!;
    const report = reportOf(row);
    return [
      {
        job: job.number,
        at: row.createdAt.toISOString(),
        role: row.subject === 'after' ? ('after' as const) : ('before' as const),
        packLabel: job.pack,
        odometerKm: vehicle.odometer.find((o) => o.job === job.number)?.km ?? null,
        capacityAh: figureOf(report.capacityAh),
        healthFraction: figureOf(report.health),
        deltaNearFullMv: report.nearFull?.deltaMv ?? null,
        deltaNearEmptyMv: report.nearEmpty?.deltaMv ?? null,
        headline: row.headline,
      },
    ];
  });
  const corrections = await store.sequelize.query<{ at: Date; by: string; says: string }>(
    `SELECT a.at, p.name AS by, a.detail AS says FROM audit a JOIN people p ON p.id = a.person_id
      WHERE a.what = :what AND a.subject = :id ORDER BY a.at DESC LIMIT 100`,
    { type: QueryTypes.SELECT, replacements: { what: CORRECTED, id } },
  );
  return { vehicle, measured, corrections: corrections.map((c) => ({ ...c, at: c.at.toISOString() })) };
}

/** Corrects what a vehicle is called and known by: the plate is of one vehicle, and what it was before stays on record. */
export async function correctVehicle(
  store: Store,
  doing: Doing,
  id: string,
  body: unknown,
): Promise<{ id: string }> {
  const { name, plate, reason } = VehicleFactsSchema.parse(body);
  const { tx } = doing;
  const vehicle = await store.models.Vehicle.findByPk(id, { transaction: tx, lock: tx.LOCK.UPDATE });
  if (!vehicle) throw notFound('That vehicle');
  const other =
    plate === ''
      ? null
      : await store.models.Vehicle.findOne({
          where: store.sequelize.where(
            store.sequelize.fn('lower', store.sequelize.col('plate')),
            plate.toLowerCase(),
          ),
          transaction: tx,
        });
  if (other && other.id !== id)
    throw new Refusal('conflict', 'Taken', `${plate} is the plate of ${other.name} already.`, {
      fields: [{ field: 'plate', message: 'A plate or fleet number that no other vehicle has.' }],
    });
  const was = `${vehicle.name}, ${vehicle.plate ?? 'no plate'}`;
  await vehicle.update({ name, plate: plate || null }, { transaction: tx });
  await audit(store, doing, null, CORRECTED, id, `${was} is now ${name}, ${plate || 'no plate'}: ${reason}`);
  await announce(store, tx, 'vehicles', null);
  return { id };
}
