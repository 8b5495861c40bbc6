import { vehicleFiguresOf, type InsulationObservation } from '@cellmend/core/insulation';
import { audit, type Doing, type Store } from '../domain/store';
import { keepObservation } from '../records/observe';
import { observationsOf } from '../safety/gate';
import { loadRecord } from '../scans/store';

/** What a scan holds of the vehicle's own insulation figure, at moments counted from its zero. */
export type FiguresOfScan = readonly { atS: number; ohm: number }[];
interface NamedScan {
  id: string;
  name: string;
}

/** Keeps what the vehicle reported of its insulation in a scan, each at the moment it was read; of a scan without a time, nothing. */
export async function keepVehicleFigures(
  store: Store,
  doing: Doing,
  jobId: string,
  { id, name }: NamedScan,
  startedAt: Date | null,
  figures: FiguresOfScan,
): Promise<void> {
  if (startedAt === null) return;
  for (const { atS, ohm } of figures)
    await keepFigure(store, doing, jobId, {
      kind: 'vehicle',
      ohm,
      signalV: null,
      readAt: readAt(store, startedAt, atS),
      fromScan: { id, name },
    });
}

/** When a figure was read, ISO 8601: never later than now, whatever the clock of a file says, or it would count for the newest for ever. */
const readAt = (store: Store, startedAt: Date, atS: number): string =>
  new Date(Math.min(startedAt.getTime() + 1000 * atS, store.clock.now().wallMs)).toISOString();

type VehicleFigure = Extract<InsulationObservation, { kind: 'vehicle' }>;

async function keepFigure(
  store: Store,
  doing: Doing,
  jobId: string,
  data: VehicleFigure,
  corrects: { supersedes: string; reason: string } | null = null,
): Promise<void> {
  const { name } = data.fromScan!;
  await keepObservation(store, doing, {
    jobId,
    topic: 'insulation',
    kind: 'vehicle',
    data,
    stage: 'scan',
    instrument: name,
    corrects,
  });
  await audit(store, doing, jobId, 'insulation', 'vehicle', `${data.ohm} Ω in ${name}, read ${data.readAt}`);
}

/** Once somebody has said when a scan was recorded, or that it was at another time, its figures are those of that time. */
export async function moveVehicleFigures(
  store: Store,
  doing: Doing,
  jobId: string,
  scan: NamedScan,
  startedAt: Date,
  reason: string,
): Promise<void> {
  const rows = await observationsOf(store, jobId, 'insulation', doing.tx);
  const corrected = new Set(rows.map((r) => r.supersedes));
  const kept = rows.filter(
    (r) => !corrected.has(r.id) && (r.data as Partial<VehicleFigure>).fromScan?.id === scan.id,
  );
  const record = await loadRecord(store, scan.id, { tx: doing.tx, channels: [] });
  const figures = record.insulationOhm ? vehicleFiguresOf(record.insulationOhm) : [];
  if (kept.length === 0) return keepVehicleFigures(store, doing, jobId, scan, startedAt, figures);
  for (const [i, row] of kept.entries()) {
    const moved = readAt(store, startedAt, figures[i]?.atS ?? 0);
    await keepFigure(
      store,
      doing,
      jobId,
      { ...(row.data as VehicleFigure), readAt: moved },
      { supersedes: row.id, reason },
    );
  }
}
