import type { StoredProfile } from '@cellmend/contract/pack';
import { CorrectMapSchema, type MapChecked } from '@cellmend/contract/scans';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { rewired, wiring } from '@cellmend/core/scan';
import { checkWiring, median, type Block, type SpreadReport } from '@cellmend/core/diagnosis';
import { Op } from 'sequelize';
import { isDeepStrictEqual } from 'node:util';
import { Refusal } from '../domain/refusal';
import { audit, type Doing, type Store } from '../domain/store';
import { markDue } from '../findings/due';
import { reportOf } from '../findings/stored';
import { findJob, type FoundJob } from '../jobs/find';
import { changeProfile } from '../packs/service';
import type { ScanRow } from '../db/rows';
import { partsMoved, type PartMoved } from './clash';
import { mustSign } from '../safety/observe';
import { newestByPlace } from '../records/readings';

/** Fewer voltages than these tell nothing of an order. */
const LEAST = 4;

interface OfScan {
  report: SpreadReport;
  /** Version of the profile whose sense wires it was computed by. */
  version: number | null;
}

/** What was computed when a record was taken in, of it alone. */
async function reportOfScan(store: Store, jobId: string, scanId: string): Promise<OfScan | null> {
  const row = await store.models.Finding.findOne({
    where: { jobId, topic: 'spread', inputIds: { [Op.contains]: [scanId] } },
    order: [['createdAt', 'ASC']],
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
): Promise<Metered | null> {
  const enough = (m: Metered): Metered | null =>
    m.volts.filter((v) => v !== null).length < LEAST ? null : m;
  const list = typed.find((s) => s.role === role);
  if (list)
    return enough({
      name: list.name,
      volts: (await reportOfScan(store, jobId, list.id))?.report.settledV ?? [],
    });
  const [first, last] = [moved[0]?.at, moved.at(-1)?.at];
  const ofThisSide = (at: Date): boolean =>
    role === 'before' ? !first || at < first : last !== undefined && at > last;
  const readings = (await newestByPlace(store, jobId, 'voltage', ids)).filter((r) =>
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
): Promise<MapChecked | null> {
  const scans = await store.models.Scan.findAll({ where: { jobId }, order: [['createdAt', 'DESC']] });
  const ids = profile.channels.map((c) => c.id);
  const typed = scans.filter((s) => s.format === 'typed');
  const moved = await partsMoved(store, jobId);
  for (const role of ['after', 'before'] as const) {
    const scan = scans.find((s) => s.format !== 'typed' && s.role === role);
    const metered = scan && (await meteredFor(store, jobId, role, { ids, typed, moved }));
    if (metered) return holdAgainst(store, { jobId, pack, profile }, scan, metered);
  }
  return null;
}

async function holdAgainst(
  store: Store,
  { jobId, pack, profile }: { jobId: string; pack: FoundJob['pack']; profile: PackProfile },
  scan: ScanRow,
  { name, volts }: Metered,
): Promise<MapChecked | null> {
  const of = await reportOfScan(store, jobId, scan.id);
  if (!of) return null;
  const then =
    of.version === null
      ? null
      : await store.models.PackProfileVersion.findOne({
          where: { profileId: pack.profileId, version: of.version },
        });
  const typicalV = median(volts.filter((v) => v !== null));
  const scanned = rewiredV(restNear(of.report, typicalV), then?.profile ?? profile, profile);
  const ids = profile.channels.map((c) => c.id);
  return { scan: scan.name, metered: name, ...checkWiring(scanned, volts, ids, blocksOf(profile)) };
}

/**
 * Corrects the map as the meter says: a new version of the profile in which every place is given the name that scans have
 * for it. Signed by somebody qualified, since it decides which module is taken out; all open jobs of that profile are
 * computed anew.
 * @throws 409 where the readings no longer say what was signed.
 */
export async function correctMap(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<StoredProfile> {
  const { instead } = CorrectMapSchema.parse(body);
  mustSign(doing);
  const found = await findJob(store, number, doing.tx);
  const check = await mapCheck(store, found);
  if (check?.verdict !== 'disproven' || !isDeepStrictEqual(check.instead, instead))
    throw new Refusal(
      'conflict',
      'Changed meanwhile',
      `The readings no longer say what was signed. ${check?.says ?? 'There is no scan, or nothing metered, any more.'} Nothing was changed.`,
    );
  const { job, pack, profile, version } = found;
  const stored = await changeProfile(store, doing, pack.profileId, {
    profile: rewired(profile, instead),
    baseVersion: version,
  });
  await audit(store, doing, job.id, 'map corrected', profile.name, check.says);
  const packs = await store.models.Pack.findAll({
    attributes: ['id'],
    where: { profileId: pack.profileId },
    transaction: doing.tx,
  });
  const open = await store.models.Job.findAll({
    attributes: ['id'],
    where: { closedAt: null, packId: packs.map((p) => p.id) },
    order: [['id', 'ASC']],
    transaction: doing.tx,
  });
  for (const { id } of open) {
    for (const role of ['before', 'after']) await markDue(store, doing, id, 'spread', role);
    await markDue(store, doing, id, 'insulation');
  }
  return stored;
}
