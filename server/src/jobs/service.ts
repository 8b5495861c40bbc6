import { onTheBench } from '../bench/atWork';
import type { BoardRow, Job, ScanSummary } from '@cellmend/contract/jobs';
import { heldByModule, placesBySchool } from '@cellmend/core/match';
import { normalisePack, type PackProfile, type Place } from '@cellmend/core/pack';
import { placesOf, proposedMeasures, routeOf, type ProposalFacts, type Stage } from '@cellmend/core/route';
import { select, selectRows } from '../db/select';
import type { JobRow } from '../db/rows';
import { bodyIn } from '../decisions/current';
import { viewDecisions } from '../decisions/view';
import { newestSpread } from '../findings/newest';
import type { Store } from '../domain/store';
import { namesOf } from '../safety/gate';
import { workshopSettings } from '../safety/settings';
import { suggestedHazards } from '../safety/view';
import { saidMoments } from '../scans/moments';
import { earlierJobs } from './earlier';
import { factsOf, type JobFacts } from './facts';
import { findJob, profileOf } from './find';

/** The list that follows from what was found, and which modules failed whatever this workshop's school changes with them. */
async function proposalOf(
  store: Store,
  job: JobRow,
  profile: PackProfile,
  facts: JobFacts,
): Promise<Pick<Job, 'proposed' | 'failed'>> {
  const [newest, settings] = await Promise.all([newestSpread(store, job.id), workshopSettings(store)]);
  const report = newest?.report ?? null;
  const pack = normalisePack(profile);
  const intake = bodyIn(facts.decisions, 'intake');
  const { leak } = facts.route;
  const { swap, swapLimitShare } = settings;
  const held = heldByModule(pack, report);
  const found: ProposalFacts = {
    report,
    leaking: leak?.found
      ? pack.modules.map((m) => m.id).filter((id) => leak.found!.split(/[^\w-]+/).includes(id))
      : [],
    hazards: await suggestedHazards(store, job.id, report),
    aim: intake?.aim ?? null,
    moduleOfChannel: (c) => pack.modules[pack.channels[c]!.moduleIndices[0]!]!.id,
  };
  return {
    failed: placesOf(proposedMeasures(found), 'replace-module'),
    proposed: facts.route.measures
      ? []
      : proposedMeasures({
          ...found,
          // A school goes by what was measured, or not at all.
          alsoOut: (failed) =>
            swap === 'failed' || !held.every((ah) => ah !== null)
              ? []
              : placesBySchool(
                  swap,
                  pack.modules.map((m, i) => ({ id: m.id, heldAh: held[i]! })),
                  failed,
                  swapLimitShare,
                )
                  .filter((place) => !failed.includes(place))
                  .map((place) => ({
                    place,
                    why:
                      swap === 'set'
                        ? 'this workshop changes the whole set'
                        : `below ${Math.round(swapLimitShare * 100)} % of the rest`,
                  })),
        }),
  };
}

/** A job with its pack, its records, what was decided, and its route. */
export async function viewJob(store: Store, number: unknown): Promise<Job> {
  const { job, pack, profile, version } = await findJob(store, number);
  const [scans, findings, facts, [vehicle = null], earlier, said] = await Promise.all([
    selectRows(store, store.models.Scan, 'WHERE job_id = :jobId ORDER BY created_at', { jobId: job.id }),
    select<{ id: string; inputIds: string[] }>(
      store,
      `SELECT id, input_ids AS "inputIds" FROM findings WHERE job_id = :jobId AND topic = 'spread' ORDER BY created_at`,
      { jobId: job.id },
    ),
    factsOf(store, job, profile),
    job.vehicleId ? selectRows(store, store.models.Vehicle, 'WHERE id = :id', { id: job.vehicleId }) : [],
    earlierJobs(store, job),
    saidMoments(store, job.id),
  ]);
  const [name, decisions, proposal, signers] = await Promise.all([
    namesOf(store, [...scans.map((s) => s.personId), ...[...said.values()].flatMap((m) => m.personId ?? [])]),
    viewDecisions(store, facts.decisions),
    proposalOf(store, job, profile, facts),
    signersOf(store, job.id),
  ]);
  // A record's own finding has no other input.
  const findingOf = new Map(
    findings.filter((f) => f.inputIds.length === 1).map((f) => [f.inputIds[0], f.id]),
  );
  const route = routeOf(facts.route);
  return {
    id: job.id,
    number: job.number,
    title: job.title,
    complaint: job.complaint,
    openedAt: job.openedAt.toISOString(),
    pack: profile,
    packProfileId: pack.profileId,
    packVersion: version,
    scans: scans.map((s): ScanSummary => ({
      id: s.id,
      name: s.name,
      role: s.role,
      recordedBy: name[s.personId] ?? 'someone',
      createdAt: s.createdAt.toISOString(),
      rows: s.rowCount,
      durationS: s.durationS,
      notices: s.notices,
      findingId: findingOf.get(s.id) ?? null,
      startedAt: (said.get(s.id)?.at ?? s.startedAt)?.toISOString() ?? null,
      ...(said.has(s.id) ? { momentBy: name[said.get(s.id)!.personId ?? ''] ?? 'someone' } : {}),
      format: s.format,
    })),
    decisions,
    route: route.stages,
    next: route.next,
    steps: route.steps,
    reopened: facts.route.reopened,
    contradictions: route.contradictions,
    endings: route.endings,
    ...proposal,
    vehicle: vehicle && { id: vehicle.id, name: vehicle.name, plate: vehicle.plate },
    physicalPack: { id: pack.id, label: pack.label },
    composition: facts.composition.map((c) => ({
      place: c.place,
      partId: c.partId,
      label: c.label,
      at: c.at.toISOString(),
      here: c.jobId === job.id,
      differs: c.differs,
      by: c.by,
      moved: c.moved,
    })),
    earlier,
    removed: facts.removed.map(({ at, since, ...r }) => ({
      ...r,
      at: at.toISOString(),
      since: since?.toISOString() ?? null,
    })),
    proofs: facts.proofs,
    signers,
    gate: facts.gate,
    demoFiles: job.demoFiles,
  };
}

/** Who signed a decision that stands, or proved the pack dead, and the qualification behind the name. */
async function signersOf(store: Store, jobId: string): Promise<Job['signers']> {
  return select(
    store,
    `SELECT name, hv_level AS level, hv_until::text AS until, concat_ws(' ', nullif(hv_issuer, ''), nullif(hv_number, '')) AS certificate,
       hv_self_declared AS "selfDeclared"
     FROM people WHERE id IN (
       SELECT person_id FROM decisions WHERE job_id = :jobId AND topic IN ('measures', 'prove', 'hand-over')
       UNION SELECT person_id FROM observations WHERE job_id = :jobId AND topic = 'make-safe' AND kind IN ('live-dead-live', 'second-person')
     ) ORDER BY name`,
    { jobId },
  );
}

const BOARD_ROWS = 60;
const JOBS_WITH_PROFILE =
  'jobs JOIN packs k ON k.id = jobs.pack_id JOIN pack_profiles f ON f.id = k.profile_id';
interface BoardRecord {
  number: number;
  title: string;
  need: string;
  need_detail: string;
  need_stage: Stage;
  need_since: Date;
  due_at: Date | null;
  marks: BoardRow['marks'];
  profile_id: string;
  profile_version: number;
  closed: boolean;
}

/** The jobs that need a person first, then those running by themselves: one indexed query whatever the archive holds. */
export async function board(store: Store, now = new Date()): Promise<{ rows: BoardRow[] }> {
  const openRows = select<BoardRecord>(
    store,
    `SELECT number, title, need, need_detail, need_stage, need_since, due_at, marks, f.id AS profile_id, f.version AS profile_version, false AS closed
       FROM ${JOBS_WITH_PROFILE} WHERE closed_at IS NULL ORDER BY coalesce(due_at, need_since) LIMIT ${BOARD_ROWS}`,
  );
  const closedRows = select<BoardRecord>(
    store,
    `SELECT number, title, need, need_detail, need_stage, need_since, due_at, marks, f.id AS profile_id, f.version AS profile_version, true AS closed
       FROM ${JOBS_WITH_PROFILE} WHERE closed_at IS NOT NULL ORDER BY closed_at DESC LIMIT 5`,
  );
  const [rows, recent, bench] = await Promise.all([openRows, closedRows, onTheBench(store)]);
  const all = [...rows, ...recent];
  const profiles = new Map(all.map((r) => [r.profile_id, r.profile_version]));
  const tiles = new Map<string, Place[]>(
    await Promise.all(
      [...profiles].map(async ([id, version]): Promise<[string, Place[]]> => {
        const { modules } = normalisePack(await profileOf(store, id, version));
        return [id, modules.map((m) => m.place)];
      }),
    ),
  );
  return {
    rows: all.map((r): BoardRow => {
      const waiting = r.due_at !== null && r.due_at > now;
      return {
        number: r.number,
        title: r.title,
        detail: r.need_detail,
        need: r.need,
        when: r.need_since.toISOString(),
        dueAt: r.due_at?.toISOString() ?? null,
        stage: r.need_stage,
        group: r.closed ? 'closed' : waiting ? 'running' : 'now',
        marks: r.marks,
        bench: bench.get(r.number) ?? null,
        tiles: tiles.get(r.profile_id) ?? [],
      };
    }),
  };
}
