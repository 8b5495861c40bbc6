import { POLE_CONDITIONS } from '@cellmend/core/jot';
import type { NewFinding } from '@cellmend/contract/findings';
import type { PackProfile } from '@cellmend/core/pack';
import { Op } from 'sequelize';
import { select } from '../db/select';
import type { JobRow, ScanRow } from '../db/rows';
import type { Store } from '../domain/store';
import { pointsAtInsulation } from '@cellmend/core/triage';
import { bodyIn, currentDecisions } from '../decisions/current';
import { saidMoments } from '../scans/moments';
import { readingsOf, STANDING } from '../records/readings';

type AskFor<T extends NewFinding['topic']> = Extract<NewFinding, { topic: T }>;

/** More records than these are not weighed together: the newest stands alone. */
const MOST_JOINED = 20;

/**
 * Records of one job are weighed together: a second one near empty tells what one near full could not. Of a file that
 * was taken in again, under another mapping say, only the newest reading counts: the same evidence is not weighed twice.
 */
async function together(store: Store, jobId: string, role: 'before' | 'after'): Promise<ScanRow[]> {
  const scans = await store.models.Scan.findAll({
    where: { jobId, role },
    attributes: ['id', 'channelIds', 'sourceSha256', 'createdAt'],
    order: [['createdAt', 'ASC']],
  });
  const own = scans[scans.length - 1];
  if (!own) return [];
  const newestOf = new Map(scans.map((s) => [s.sourceSha256, s.id]));
  const alike = scans.filter(
    (s) => s.channelIds.join() === own.channelIds.join() && newestOf.get(s.sourceSha256) === s.id,
  );
  return alike.length > MOST_JOINED ? [own] : alike;
}

/** What the diagnosis of a role has to be computed from now; null where nothing was scanned. */
export async function spreadAsk(
  store: Store,
  job: JobRow,
  profile: PackProfile,
  role: 'before' | 'after',
): Promise<AskFor<'spread'> | null> {
  const scans = await together(store, job.id, role);
  if (scans.length === 0) return null;
  // Voltages metered at the terminals of channels since; of the pack as it was then: what a part that went in later shows is another's.
  const scannedAt = scans[scans.length - 1]!.createdAt;
  const fits = await select<{ at: Date }>(
    store,
    "SELECT at FROM placements WHERE job_id = :jobId AND kind = 'pack' ORDER BY at",
    { jobId: job.id },
  );
  const [first, last] = [fits[0]?.at, fits.at(-1)?.at];
  const since = role === 'after' && last && last > scannedAt ? last : scannedAt;
  const metered = (
    await readingsOf(store, job.id, {
      kind: 'voltage',
      places: profile.channels.map((c) => c.id),
      since,
      newest: 500,
    })
  ).filter((r) => role === 'after' || !first || r.observedAt < first);
  const said = await saidMoments(store, job.id);
  const momentIds = scans.flatMap((s) => said.get(s.id)?.id ?? []);
  return {
    topic: 'spread',
    role,
    scanIds: scans.map((s) => s.id),
    ...(momentIds.length > 0 ? { momentIds } : {}),
    readingIds: metered.map((r) => r.id),
  };
}

const POLES: ReadonlySet<string> = new Set(Object.values(POLE_CONDITIONS));

/** What the report on a leak has to be computed from now; null where nothing was observed of insulation. */
export async function insulationAsk(
  store: Store,
  job: JobRow,
  profile: PackProfile,
): Promise<AskFor<'insulation'> | null> {
  const observations = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'insulation', [Op.and]: [STANDING] },
    attributes: ['id'],
    order: [['seq', 'ASC']],
  });
  const modules = profile.modules.map((m) => m.id);
  const jotted = (
    await readingsOf(store, job.id, { kind: 'insulation', places: [...modules, ''], newest: 200 })
  ).filter((r) => r.place !== '' || POLES.has(r.conditions));
  if (observations.length === 0 && jotted.length === 0) return null;
  const spread = await store.models.Finding.findOne({
    where: { jobId: job.id, topic: 'spread' },
    attributes: ['id'],
    order: [['createdAt', 'DESC']],
  });
  const places = [...modules, ...profile.channels.map((c) => c.id)];
  const typed = await readingsOf(store, job.id, { kind: 'voltage', places, newest: 800 });
  const intake = bodyIn(await currentDecisions(store, job.id), 'intake');
  const reported = intake !== undefined && pointsAtInsulation(intake.signs, intake.codes);
  const fits = await select<{ place: string; at: Date }>(
    store,
    "SELECT place, at FROM placements WHERE job_id = :jobId AND kind = 'pack' ORDER BY seq",
    { jobId: job.id },
  );
  return {
    topic: 'insulation',
    ...(fits.length > 0
      ? { fitted: fits.map((f) => ({ place: f.place, at: new Date(f.at).toISOString() })) }
      : {}),
    ...(reported ? { reported: true as const } : {}),
    ...(reported && intake.signs.includes('worse after rain') ? { afterRain: true as const } : {}),
    observationIds: observations.map((o) => o.id),
    spreadFindingId: spread?.id ?? null,
    readingIds: [...typed.filter((r) => r.conditions !== 'per group'), ...jotted].map((r) => r.id),
  };
}
