import { backFrom, isProof, type Proof } from '@cellmend/core/prove';
import { buildOf, jointsToRemake, offNow, partName } from '@cellmend/core/stripdown';
import { MOVED_SAYS, movedOf } from '@cellmend/core/balance';
import { missingCaseParts, missingRuns, whyNotCounted } from '@cellmend/core/insulation';
import type { CheckId } from '@cellmend/contract/jobs';
import type { TickData } from '@cellmend/contract/stripdown';
import type { FindingDigest } from '@cellmend/contract/findings';
import type { Gate } from '@cellmend/contract/safety';
import { judgeVoltage, normalisePack, OUT_OF_BOUNDS, type Pack, type PackProfile } from '@cellmend/core/pack';
import { EVIDENCE, STAGE_FACTS, STAGES, type RouteFacts, type Stage } from '@cellmend/core/route';
import type { Transaction } from 'sequelize';
import type { BodyOf, DecisionTopic } from '@cellmend/contract/decisions';
import type { JobRow, ObservationFacts, ScanRow } from '../db/rows';
import { select } from '../db/select';
import { bodyIn, currentDecisions, type Standing } from '../decisions/current';
import { digestOfRow } from '../findings/digest';
import { inTurn } from '../db/inTurn';
import type { Store } from '../domain/store';
import { newestByPlace, type ReadingFact } from '../records/readings';
import { checksOf, type CheckFact } from '../records/checkFacts';
import { tickRows } from '../stripdown/ticks';
import { coveredSince } from '../insulation/covered';
import { proofsOfRepair } from './proofs';
import { workshopSettings } from '../safety/settings';
import { everProven, gateOf, observationsOf, openLockout, openStops } from '../safety/gate';

/** Charge that was put into a part, A·h (taken out is negative), by whoever told it. */
export interface MovedCharge {
  ah: number;
  by: string;
  at: string;
}
/** Everything the route of a job is worked out from, and what its page shows beside it. */
export interface JobFacts {
  route: RouteFacts;
  decisions: Standing[];
  gate: Gate;
  /** Modules with something told apart by the newest diagnosis. */
  suspects: string[];
  /** What proves the repair by what was wrong; empty while nothing is signed. */
  proofs: Proof[];
  /** Parts that were placed into the pack, with the job that did it. */
  composition: {
    place: string;
    partId: string;
    label: string;
    at: Date;
    jobId: string | null;
    /** What of it is not like the pack's own, and why it went in all the same; who put it in. */
    differs: string;
    by: string;
    /** Charge that was moved to level it for this job, as it was told last; null where nobody told any. */
    moved: MovedCharge | null;
  }[];
  /** Parts that this job took out of it, and where each went. */
  removed: {
    label: string;
    place: string;
    to: string;
    reason: string;
    proof: string;
    at: Date;
    /** Since when it stood there; null for what the pack came with. */
    since: Date | null;
  }[];
}

/** The newest finding of each topic, in short. */
async function digests(
  store: Store,
  jobId: string,
  tx: Transaction | undefined,
): Promise<Map<string, FindingDigest>> {
  const rows = await select<{ id: string; topic: string; digest: FindingDigest | null }>(
    store,
    `SELECT DISTINCT ON (topic) id, topic, digest FROM findings WHERE job_id = :jobId
      ORDER BY topic, created_at DESC, id`,
    { jobId },
    tx,
  );
  const found = new Map<string, FindingDigest>();
  for (const { id, topic, digest } of rows)
    found.set(
      topic,
      digest ?? digestOfRow((await store.models.Finding.findByPk(id, { transaction: tx ?? null }))!),
    );
  return found;
}

/** The pack as a whole, its modules and its channels. */
const placesOfPack = (pack: Pack): string[] => [
  '',
  ...pack.modules.map((m) => m.id),
  ...pack.channels.map((c) => c.id),
];

/** Channels and modules that somebody metered beyond floor or ceiling, in one line. */
function dangerOf(
  pack: Pack,
  metered: readonly ReadingFact[],
  composition: JobFacts['composition'],
): string | null {
  const fittedAt = new Map(composition.filter((c) => c.jobId !== null).map((c) => [c.place, c.at]));
  const bad = metered.flatMap((r) => {
    const module = pack.modules.find((m) => m.id === r.place);
    const channel = pack.channels.find((c) => c.id === r.place);
    // What was metered at a place is of the part that stood there then.
    const at = [module?.id, ...(channel?.moduleIndices ?? []).map((i) => pack.modules[i]!.id)];
    if (at.some((place) => place !== undefined && fittedAt.has(place) && r.observedAt < fittedAt.get(place)!))
      return [];
    const cells =
      r.conditions === 'per group'
        ? 1
        : (channel?.cells ?? module?.groupIndices.length ?? pack.groups.length);
    const judged = judgeVoltage(pack.profile, cells, r.value ?? NaN);
    return OUT_OF_BOUNDS.has(judged.state) ? [`${r.place || 'Pack'} ${judged.says}`] : [];
  });
  if (bad.length === 0) return null;
  return bad.slice(0, 2).join(' ') + (bad.length > 2 ? ` And ${bad.length - 2} more.` : '');
}

/** Parts that stand in a pack now. */
export async function compositionOf(
  store: Store,
  packId: string,
  tx?: Transaction,
): Promise<JobFacts['composition']> {
  const rows = await select<
    Omit<JobFacts['composition'][number], 'moved'> & {
      moved: { said: string; by: string; at: string } | null;
    }
  >(
    store,
    `SELECT c.place, c.part_id AS "partId", p.label, c.at, c.job_id AS "jobId", c.reason AS differs, coalesce(w.name, '') AS by, m.moved
       FROM current_placements c JOIN parts p ON p.id = c.part_id LEFT JOIN people w ON w.id = c.person_id
       LEFT JOIN LATERAL (
         SELECT json_build_object('said', o.data->>'text', 'by', coalesce(q.name, ''), 'at', o.observed_at) AS moved
           FROM observations o LEFT JOIN people q ON q.id = o.person_id
          WHERE o.part_id = c.part_id AND o.topic = 'reading' AND o.kind = 'voltage' AND o.data->>'text' LIKE :moved
            AND o.observed_at >= (SELECT opened_at FROM jobs WHERE id = c.job_id)
            AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id)
          ORDER BY o.observed_at DESC, o.seq DESC LIMIT 1) m ON true
      WHERE c.kind = 'pack' AND c.pack_id = :packId ORDER BY c.place`,
    { packId, moved: `%${MOVED_SAYS}` },
    tx,
  );
  return rows.map(({ moved, ...r }) => {
    const ah = moved && movedOf(moved.said);
    return {
      ...r,
      moved: moved && ah ? { ah, by: moved.by, at: new Date(moved.at).toISOString() } : null,
    };
  });
}

/** Parts that this job took out of its pack, and where each went. */
const removedBy = (store: Store, job: JobRow, tx?: Transaction): Promise<JobFacts['removed']> =>
  select(
    store,
    `SELECT p.label, b.place, o.kind AS "to", o.reason, o.proof, o.at, CASE WHEN b.job_id IS NULL THEN NULL ELSE b.at END AS since
       FROM placements o JOIN parts p ON p.id = o.part_id
       JOIN LATERAL (SELECT place, at, job_id FROM placements b WHERE b.part_id = o.part_id AND b.kind = 'pack' AND b.pack_id = :packId
                       AND b.seq < o.seq ORDER BY b.seq DESC LIMIT 1) b ON true
      WHERE o.job_id = :jobId AND o.kind <> 'pack' ORDER BY o.seq`,
    { packId: job.packId, jobId: job.id },
    tx,
  );
const LEFT = new Set(['scrapped', 'returned', 'sold']);

/** What a crash-locked unit is looked at for before somebody licensed gets it. */
const lockedEvidence = (rows: readonly ObservationFacts[]): boolean => {
  const kinds = new Set(rows.map((r) => (r.kind === 'crash-inspection' ? 'look' : r.kind)));
  const asleep = openLockout(rows)?.hazards.includes('under-voltage') ?? false;
  return ['look', 'pyro-evidence', 'insulation-evidence', ...(asleep ? ['group-voltages'] : [])].every((k) =>
    kinds.has(k),
  );
};

/** Work that makes an insulation test of before worth nothing. */
const UNDOES_TEST = (check: CheckId): boolean =>
  !isProof(check) && !EVIDENCE[check].movesNothing && STAGE_FACTS[EVIDENCE[check].stage].opens === true;

/** Reads what is on record of a job, as far as its route and its page depend on it. */
export async function factsOf(
  store: Store,
  job: JobRow,
  profile: PackProfile,
  tx?: Transaction,
): Promise<JobFacts> {
  const { models } = store;
  const transaction = tx ?? null;
  const jobId = job.id;
  const pack = normalisePack(profile);
  const modules = profile.modules.map((m) => m.id);
  const [
    allScans,
    decisions,
    newest,
    stops,
    lost,
    lockoutRows,
    composition,
    removed,
    allChecks,
    stages,
    tickList,
    insulation,
    metered,
    capacities,
    [firstList],
    settings,
  ] = await inTurn(tx, [
    () =>
      select<{ role: ScanRow['role']; createdAt: Date }>(
        store,
        'SELECT role, created_at AS "createdAt" FROM scans WHERE job_id = :jobId',
        { jobId },
        tx,
      ),
    () => currentDecisions(store, jobId, tx),
    () => digests(store, jobId, tx),
    () => openStops(store, jobId, tx),
    () =>
      select<{ name: string }>(
        store,
        "SELECT i.name FROM instrument_runs r JOIN instruments i ON i.id = r.instrument_id WHERE r.job_id = :jobId AND r.output = 'unknown' LIMIT 1",
        { jobId },
        tx,
      ),
    () => observationsOf(store, jobId, 'make-safe', tx),
    () => compositionOf(store, job.packId, tx),
    () => removedBy(store, job, tx),
    () => checksOf(store, jobId, tx),
    () =>
      select<{ stage: Stage }>(
        store,
        `SELECT s.stage FROM unnest(array[:all]) AS s(stage) WHERE EXISTS (
             SELECT 1 FROM observations o WHERE o.job_id = :jobId AND o.stage = s.stage AND o.topic IN ('reading', 'work', 'strip-down'))`,
        { jobId, all: [...STAGES] },
        tx,
      ),
    () => tickRows(store, jobId, tx),
    () => observationsOf(store, jobId, 'insulation', tx),
    () => newestByPlace(store, jobId, 'voltage', placesOfPack(pack), tx),
    () => newestByPlace(store, jobId, 'capacity', modules, tx),
    () =>
      select<{ at: Date | null }>(
        store,
        "SELECT min(signed_at) AS at FROM decisions WHERE job_id = :jobId AND topic = 'measures'",
        { jobId },
        tx,
      ),
    () => workshopSettings(store, tx),
  ]);
  const ticks = tickList.map((r) => r.data as TickData);
  const stop = stops[0] ?? null;
  const unreached = lost[0] ?? null;
  const gate = await gateOf(store, jobId, profile, tx, { rows: lockoutRows, stops });
  const parts = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const partsOff = offNow(ticks).map((id) => parts.get(id) ?? id);
  const handOver = decisions.find((d) => d.topic === 'hand-over');
  const reopen = decisions.find((d) => d.topic === 'reopen');
  const list = decisions.find((d) => d.topic === 'measures');
  const measures = bodyIn(decisions, 'measures');
  // A job that came back begins again: what was proven before shows nothing of what is done now.
  const back = reopen && handOver && reopen.signedAt >= handOver.signedAt ? reopen.signedAt : null;
  const since =
    <T>(at: (x: T) => Date | undefined) =>
    (x: T): boolean =>
      back === null || (at(x)?.getTime() ?? 0) >= back.getTime();
  const signedSince = <T extends DecisionTopic>(topic: T): BodyOf<T> | undefined =>
    bodyIn(decisions.filter(since((d) => d.signedAt)), topic);
  const scans = allScans.filter(
    (s) => s.role === 'before' || since<{ createdAt: Date }>((x) => x.createdAt)(s),
  );
  // A capacity that was jotted at a module on the bench is what its conditioning gave.
  // From the first signing: a list that is changed later takes nothing back of what was done by it.
  const begun = firstList?.at ?? null;
  const jotted = begun ? capacities : [];
  const checks: CheckFact[] = [
    ...allChecks,
    ...jotted
      .filter((r) => r.stage === 'bench' && r.recordedAt >= begun!)
      .map((r) => ({
        check: 'bench-result' as const,
        place: r.place,
        passed: true,
        value: r.value,
        recordedAt: r.recordedAt,
      })),
  ].filter(since((c) => c.recordedAt));
  const fitted = composition.filter((c) => c.jobId === jobId).filter(since((c) => c.at));
  const voltageProofs = lockoutRows.filter(
    (r) => r.kind !== 'live-dead-live' || since<ObservationFacts>((x) => x.recordedAt)(r),
  );
  const match = signedSince('match');
  const signed = back ? undefined : bodyIn(decisions, 'hand-over');
  const worked = [
    begun?.getTime() ?? 0,
    back?.getTime() ?? 0,
    ...fitted.map((p) => p.at.getTime()),
    ...checks.filter((c) => UNDOES_TEST(c.check)).map((c) => c.recordedAt.getTime()),
  ];
  const leak = newest.get('insulation')?.leak ?? null;
  const labels = new Map<string, string>();
  if (match && match.choices.length > 0)
    for (const p of await models.Part.findAll({
      where: { id: match.choices.map((c) => c.partId) },
      transaction,
    }))
      labels.set(p.id, p.label);
  const standing = (measures?.measures ?? []).filter((m) => m.dropped === '');
  // What was driven or read before the last part went in proves nothing of it.
  const proofChecks = checks.filter(
    (c) =>
      isProof(c.check) &&
      c.recordedAt.getTime() >= Math.max(begun?.getTime() ?? 0, ...fitted.map((p) => p.at.getTime())),
  );
  const coverage = coveredSince(
    pack,
    { insulation, ticks: tickList, lockout: lockoutRows },
    Math.max(...worked),
    fitted,
  );
  const missing = missingRuns(pack, coverage);
  const missingInCase = missingCaseParts(coverage);
  const shownLeak =
    leak && leak.suspected !== false && (leak.found || (!leak.packPassed && missing !== ''))
      ? { title: leak.title, found: leak.found }
      : null;
  const proofs = proofsOfRepair(profile, settings, {
    measures: measures?.measures ?? null,
    // One that left with its part is proven gone like any other.
    leak: shownLeak !== null || leak?.before !== undefined,
    codes: bodyIn(decisions, 'intake')?.codes ?? [],
    checks: proofChecks,
  });
  return {
    decisions,
    gate,
    suspects: newest.get('spread')?.suspects ?? [],
    composition,
    removed,
    proofs,
    route: {
      complaint: job.complaint,
      intake: decisions.some((d) => d.topic === 'intake'),
      appraised: decisions.some((d) => d.topic === 'appraisal'),
      scans,
      headline: newest.get('spread')?.headline ?? '',
      // A pack that passed as a whole has no leak to look for.
      leak: shownLeak,
      danger: dangerOf(pack, metered, composition),
      output: unreached?.name ?? null,
      stop: stop?.kind ?? null,
      gate: {
        holds: gate.holds,
        begun: gate.begun,
        ever: gate.holds || (await everProven(store, jobId, profile, voltageProofs, tx)),
        stillLive: gate.proof === 'below-60',
      },
      measures: measures?.measures ?? null,
      elsewhere: measures?.elsewhere ?? '',
      chosen: (match?.choices ?? []).map((c) => ({
        place: c.place,
        part: labels.get(c.partId) ?? 'a part',
      })),
      levelled: (signedSince('balance')?.lines ?? []).map((l) => l.place),
      fitted: fitted.map((c) => ({ place: c.place, part: c.label })),
      takenOut: removed.filter(since((r) => r.at)).length,
      disposed: removed
        .filter(since((r) => r.at))
        .filter((r) => LEFT.has(r.to))
        .map((r) => r.place),
      checks,
      insulationProven: missing === '' && missingInCase === '',
      insulationMissing:
        missing === ''
          ? missingInCase
          : [`Not covered yet: ${missing}.`, ...whyNotCounted(coverage)].join(' '),
      lockedEvidence: lockedEvidence(lockoutRows),
      proved: signedSince('prove')?.passed ?? null,
      failing: backFrom(proofs),
      comparisonPassed: newest.get('prove')?.passed ?? false,
      // Sheets from before a job named its ending: what was decided tells it.
      handedOver: signed
        ? (signed.ending ??
          (standing.some((m) => m.kind === 'decline')
            ? 'declined'
            : standing.every((m) => m.kind === 'monitor')
              ? 'monitored'
              : 'repaired'))
        : null,
      // Until somebody has decided anew.
      reopened: back && !(list && list.signedAt >= back) ? (bodyIn(decisions, 'reopen')?.why ?? '') : '',
      partsOff,
      remake: jointsToRemake(ticks, profile.links ?? []),
      noted: stages.map((s) => s.stage),
    },
  };
}
