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
  return {
    vehicle,
    measured,
    corrections: corrections.map((c) => ({ ...c, at: c.at.toISOString() })),
    parts: await partsOver(store, id),
  };
}

/** Parts that went into the packs of a vehicle or came out of them in all its jobs, and what became of each. */
async function partsOver(store: Store, vehicleId: string): Promise<VehicleHistory['parts']> {
  const rows = await store.sequelize.query<{
    label: string;
    place: string;
    pack: string;
    inAt: Date;
    inJob: number | null;
    differs: string;
    outAt: Date | null;
    outJob: number | null;
    kind: string;
    where: string | null;
    reason: string;
    proof: string;
  }>(
    `SELECT p.label, s.place, k.label AS pack, s.at AS "inAt", ji.number AS "inJob", s.reason AS differs, s.until AS "outAt", jo.number AS "outJob",
        c.kind, ck.label AS "where", c.reason, c.proof
       FROM (SELECT *, lead(at) OVER w AS until, lead(job_id) OVER w AS out_job FROM placements WINDOW w AS (PARTITION BY part_id ORDER BY seq)) s
       JOIN parts p ON p.id = s.part_id JOIN packs k ON k.id = s.pack_id
       JOIN current_placements c ON c.part_id = s.part_id LEFT JOIN packs ck ON ck.id = c.pack_id
       LEFT JOIN jobs ji ON ji.id = s.job_id LEFT JOIN jobs jo ON jo.id = s.out_job
      WHERE s.kind = 'pack' AND s.pack_id IN (SELECT pack_id FROM pack_fittings WHERE vehicle_id = :vehicleId)
        AND (s.job_id IS NOT NULL OR s.until IS NOT NULL)
      ORDER BY s.seq DESC LIMIT 400`,
    { type: QueryTypes.SELECT, replacements: { vehicleId } },
  );
  return rows.map((r) => ({
    label: r.label,
    place: r.place,
    pack: r.pack,
    in: r.inJob === null ? null : { at: r.inAt.toISOString(), job: r.inJob },
    differs: r.differs,
    out: r.outAt && { at: r.outAt.toISOString(), job: r.outJob },
    now:
      r.outAt === null
        ? 'in the pack'
        : r.kind === 'pack'
          ? `in pack ${r.where ?? ''}`.trim()
          : `${r.kind}${r.reason && `: ${r.reason}`}${r.proof && ` (${r.proof})`}`,
  }));
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
