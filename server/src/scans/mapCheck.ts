import type { MapChecked } from '@cellmend/contract/scans';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { wiring } from '@cellmend/core/scan';
import { checkWiring, median, type Block, type SpreadReport } from '@cellmend/core/diagnosis';
import { Op, type Transaction } from 'sequelize';
import type { Store } from '../domain/store';
import { reportOf } from '../findings/stored';
import type { FoundJob } from '../jobs/find';
import type { ScanRow } from '../db/rows';
import { partsMoved, type PartMoved } from './clash';
import { newestByPlace } from '../records/readings';

/** Fewer voltages than these tell nothing of an order. */
const LEAST = 4;

interface OfScan {
  report: SpreadReport;
  /** Version of the profile whose sense wires it was computed by. */
  version: number | null;
}

/** What was computed when a record was taken in, of it alone. */
async function reportOfScan(
  store: Store,
  jobId: string,
  scanId: string,
  tx?: Transaction,
): Promise<OfScan | null> {
  const row = await store.models.Finding.findOne({
    where: { jobId, topic: 'spread', inputIds: { [Op.contains]: [scanId] } },
    order: [['createdAt', 'ASC']],
    transaction: tx ?? null,
  });
  return row && row.inputIds.length === 1 ? { report: reportOf(row), version: row.profileVersion } : null;
}

/** Voltages by place as the sense wires were laid in a profile, brought to the places as they are in another. */
function rewiredV(volts: (number | null)[], then: PackProfile, now: PackProfile): (number | null)[] {
  const places = volts.map((_, i) => i);
  const [was, is] = [wiring(then) ?? places, wiring(now) ?? places];
  const named: (number | null)[] = volts.map(() => null);
  was.forEach((name, place) => (named[name] = volts[place] ?? null));
  return is.map((name) => named[name] ?? null);
}

/** What may be exchanged or reversed as a whole: sense boards where the profile has them, and modules. */
function blocksOf(profile: PackProfile): Block[] {
  const pack = normalisePack(profile);
  const index = new Map(pack.channels.map((c) => [c.id, c.index]));
  return [
    ...(profile.boards ?? []).map((b) => ({ name: b.id, channels: b.channels.map((c) => index.get(c)!) })),
    ...pack.stringOrder.map((m) => ({
      name: pack.modules[m]!.id,
      channels: pack.modules[m]!.channelIndices,
    })),
  ];
}

/** Voltages of all channels at the rest of a report that is nearest to a typical voltage. */
function restNear({ settledV, nearFull, nearEmpty }: SpreadReport, typicalV: number): (number | null)[] {
  const rests = [nearFull, nearEmpty].flatMap((s) =>
    s ? [s.channels.map((c) => (c.deviationMv === null ? null : s.medianV + c.deviationMv / 1000))] : [],
  );
  const apart = (volts: (number | null)[]): number =>
    Math.abs(median(volts.filter((v) => v !== null)) - typicalV);
  return [settledV, ...rests].sort((a, b) => apart(a) - apart(b))[0]!;
}

interface Metered {
  name: string;
  /** By channel; null where nobody metered. */
  volts: (number | null)[];
}

/**
 * What was metered of the pack as a scan saw it: a record typed by hand on the same side of the repair, or else the newest voltages
 * jotted or walked at channels before the first part was moved, or since the last went in. Null where too few were.
 */
async function meteredFor(
  store: Store,
  jobId: string,
  role: 'before' | 'after',
  { ids, typed, moved }: { ids: string[]; typed: readonly ScanRow[]; moved: readonly PartMoved[] },
  tx?: Transaction,
): Promise<Metered | null> {
  const enough = (m: Metered): Metered | null =>
    m.volts.filter((v) => v !== null).length < LEAST ? null : m;
  const list = typed.find((s) => s.role === role);
  if (list)
    return enough({
      name: list.name,
      volts: (await reportOfScan(store, jobId, list.id, tx))?.report.settledV ?? [],
    });
  const [first, last] = [moved[0]?.at, moved.at(-1)?.at];
  const ofThisSide = (at: Date): boolean =>
    role === 'before' ? !first || at < first : last !== undefined && at > last;
  const readings = (await newestByPlace(store, jobId, 'voltage', ids, tx)).filter((r) =>
    ofThisSide(r.observedAt),
  );
  return enough({
    name: 'Voltages at channels',
    volts: ids.map((id) => readings.find((r) => r.place === id)?.value ?? null),
  });
}

/** The newest scan of which something was metered on its side of the repair, against that. Null where there is none. */
export async function mapCheck(
  store: Store,
  { job: { id: jobId }, pack, profile }: Pick<FoundJob, 'job' | 'pack' | 'profile'>,
  tx?: Transaction,
): Promise<MapChecked | null> {
  const scans = await store.models.Scan.findAll({
    where: { jobId },
    order: [['createdAt', 'DESC']],
    transaction: tx ?? null,
  });
  const ids = profile.channels.map((c) => c.id);
  const typed = scans.filter((s) => s.format === 'typed');
  const moved = await partsMoved(store, jobId, tx);
  for (const role of ['after', 'before'] as const) {
    const scan = scans.find((s) => s.format !== 'typed' && s.role === role);
    const metered = scan && (await meteredFor(store, jobId, role, { ids, typed, moved }, tx));
    if (metered) return holdAgainst(store, { jobId, pack, profile }, scan, metered, tx);
  }
  return null;
}

async function holdAgainst(
  store: Store,
  { jobId, pack, profile }: { jobId: string; pack: FoundJob['pack']; profile: PackProfile },
  scan: ScanRow,
  { name, volts }: Metered,
  tx?: Transaction,
): Promise<MapChecked | null> {
  const of = await reportOfScan(store, jobId, scan.id, tx);
  if (!of) return null;
  const then =
    of.version === null
      ? null
      : await store.models.PackProfileVersion.findOne({
          where: { profileId: pack.profileId, version: of.version },
          transaction: tx ?? null,
        });
  const typicalV = median(volts.filter((v) => v !== null));
  const scanned = rewiredV(restNear(of.report, typicalV), then?.profile ?? profile, profile);
  const ids = profile.channels.map((c) => c.id);
  return { scan: scan.name, metered: name, ...checkWiring(scanned, volts, ids, blocksOf(profile)) };
}
