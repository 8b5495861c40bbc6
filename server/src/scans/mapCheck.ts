import type { MapChecked } from '@cellmend/contract/scans';
import type { PackProfile } from '@cellmend/core/pack';
import { checkMap, median, type SpreadReport } from '@cellmend/core/spread';
import { Op } from 'sequelize';
import type { Store } from '../domain/store';
import { reportOf } from '../findings/stored';
import { newestByPlace } from '../records/readings';

/** Fewer voltages than these tell nothing of an order. */
const LEAST = 4;

/** What was computed when a record was taken in, of it alone. */
async function reportOfScan(store: Store, jobId: string, scanId: string): Promise<SpreadReport | null> {
  const row = await store.models.Finding.findOne({
    where: { jobId, topic: 'spread', inputIds: { [Op.contains]: [scanId] } },
    order: [['createdAt', 'ASC']],
  });
  return row && row.inputIds.length === 1 ? reportOf(row) : null;
}

/** Voltages of all channels at the rest of a report that is nearest to a typical voltage. */
function restNear({ settledV, nearFull, nearEmpty }: SpreadReport, typicalV: number): (number | null)[] {
  const rests = [nearFull, nearEmpty].flatMap((s) =>
    s ? [s.channels.map((c): number | null => s.medianV + c.deviationMv / 1000)] : [],
  );
  const apart = (volts: (number | null)[]): number =>
    Math.abs(median(volts.filter((v) => v !== null)) - typicalV);
  return [settledV, ...rests].sort((a, b) => apart(a) - apart(b))[0]!;
}

/**
 * The latest scan against what was metered: a record typed by hand, or else the newest voltages jotted or walked at
 * channels. Null where one of the two is missing.
 */
export async function mapCheck(
  store: Store,
  jobId: string,
  profile: PackProfile,
): Promise<MapChecked | null> {
  const scans = await store.models.Scan.findAll({ where: { jobId }, order: [['createdAt', 'DESC']] });
  const scan = scans.find((s) => s.format !== 'typed');
  if (!scan) return null;
  const typed = scans.find((s) => s.format === 'typed');
  const ids = profile.channels.map((c) => c.id);
  let metered: (number | null)[];
  let name: string;
  if (typed) {
    metered = (await reportOfScan(store, jobId, typed.id))?.settledV ?? [];
    name = typed.name;
  } else {
    const readings = await newestByPlace(store, jobId, 'voltage', ids);
    metered = ids.map((id) => readings.find((r) => r.place === id)?.value ?? null);
    name = 'Voltages at channels';
  }
  const known = metered.filter((v) => v !== null);
  if (known.length < LEAST) return null;
  const report = await reportOfScan(store, jobId, scan.id);
  if (!report) return null;
  const scanned = restNear(report, median(known));
  return { scan: scan.name, metered: name, ...checkMap(scanned, metered, ids) };
}
