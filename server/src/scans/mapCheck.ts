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

/**
 * The latest scan against what was metered: a record typed by hand, or else the newest voltages jotted or walked at
 * channels. Null where one of the two is missing.
 */
export async function mapCheck(
  store: Store,
  { job: { id: jobId }, pack, profile }: Pick<FoundJob, 'job' | 'pack' | 'profile'>,
): Promise<MapChecked | null> {
  const scans = await store.models.Scan.findAll({ where: { jobId }, order: [['createdAt', 'DESC']] });
  const scan = scans.find((s) => s.format !== 'typed');
  if (!scan) return null;
  const typed = scans.find((s) => s.format === 'typed');
  const ids = profile.channels.map((c) => c.id);
  let metered: (number | null)[];
  let name: string;
  if (typed) {
    metered = (await reportOfScan(store, jobId, typed.id))?.report.settledV ?? [];
    name = typed.name;
  } else {
    const readings = await newestByPlace(store, jobId, 'voltage', ids);
    metered = ids.map((id) => readings.find((r) => r.place === id)?.value ?? null);
    name = 'Voltages at channels';
  }
  const known = metered.filter((v) => v !== null);
  if (known.length < LEAST) return null;
  const of = await reportOfScan(store, jobId, scan.id);
  if (!of) return null;
  const then =
    of.version === null
      ? null
      : await store.models.PackProfileVersion.findOne({
          where: { profileId: pack.profileId, version: of.version },
        });
  const scanned = rewiredV(restNear(of.report, median(known)), then?.profile ?? profile, profile);
  return { scan: scan.name, metered: name, ...checkWiring(scanned, metered, ids, blocksOf(profile)) };
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
