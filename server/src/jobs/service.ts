import {
  NewJobSchema,
  STAGES,
  type BoardRow,
  type Decision,
  type Job,
  type ScanSummary,
  type Stage,
  type StageState,
} from '@cellmend/contract/jobs';
import { GATED_STAGES, type Gate } from '@cellmend/contract/safety';
import type { InsulationReport } from '@cellmend/core/insulation';
import type { Place, PackProfile } from '@cellmend/core/pack';
import { normalisePack } from '@cellmend/core/pack';
import { randomUUID } from 'node:crypto';
import { QueryTypes, type Transaction } from 'sequelize';
import { z } from 'zod';
import type { DecisionRow, JobRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../http/context';
import { notFound } from '../http/problems';
import { gateOf } from '../safety/gate';
import { currentDecisions, refreshNeed } from './need';

const NumberSchema = z.coerce.number().int().min(1).max(2_000_000_000);

/** The job of a number in the address, with its pack. @throws 404 */
export async function findJob(
  store: Store,
  number: unknown,
  tx?: Transaction,
): Promise<{ job: JobRow; profile: PackProfile; version: number }> {
  const parsed = NumberSchema.safeParse(number);
  const job = parsed.success
    ? await store.models.Job.findOne({ where: { number: parsed.data }, transaction: tx ?? null })
    : null;
  if (!job) throw notFound(`Job ${String(number).slice(0, 20)}`);
  const profile = await store.models.PackProfile.findByPk(job.packProfileId, { transaction: tx ?? null });
  return { job, profile: profile!.profile, version: profile!.version };
}

/** State of every stage, from what is recorded. */
export function routeOf(
  scans: { role: string }[],
  decisions: { topic: string; body: DecisionRow['body'] }[],
  readingStages: ReadonlySet<string>,
  gate: Pick<Gate, 'holds' | 'begun' | 'stop' | 'proof'> = {
    holds: false,
    begun: false,
    stop: null,
    proof: null,
  },
  leak: Pick<InsulationReport, 'found'> | null = null,
): Record<Stage, StageState> {
  const has = (topic: string): boolean => decisions.some((d) => d.topic === topic);
  const before = scans.filter((s) => s.role === 'before').length;
  const after = scans.filter((s) => s.role === 'after').length;
  const states = Object.fromEntries(
    STAGES.map((s) => [s, { state: readingStages.has(s) ? 'work' : 'nothing', note: '' }]),
  ) as Record<Stage, StageState>;
  if (has('intake')) states.intake = { state: 'done', note: '' };
  if (before + after > 0)
    states.scan = { state: 'done', note: `${before + after} ${before + after === 1 ? 'record' : 'records'}` };
  else states.scan = { state: 'work', note: '' };
  if (before > 0)
    states.findings = has('replace') ? { state: 'done', note: '' } : { state: 'work', note: 'decide' };
  const replace = decisions.find((d) => d.topic === 'replace')?.body;
  const swaps = replace?.topic === 'replace' && replace.modules.length > 0;
  if (swaps) {
    states.match = has('match') ? { state: 'done', note: '' } : { state: 'work', note: '' };
    if (has('match'))
      states.balance = has('balance') ? { state: 'done', note: '' } : { state: 'work', note: '' };
    else states.balance = { state: 'blocked', note: 'after match' };
    states.prove = has('prove')
      ? { state: 'done', note: '' }
      : after > 0
        ? { state: 'work', note: '' }
        : { state: 'blocked', note: 'after-scan' };
  }
  states['make-safe'] = gate.stop
    ? { state: 'reopened', note: 'stopped' }
    : gate.holds
      ? { state: 'done', note: gate.proof === 'below-60' ? 'still live' : 'dead' }
      : gate.begun
        ? { state: 'work', note: '' }
        : states['make-safe'];
  if (!gate.holds) for (const s of GATED_STAGES) states[s] = { state: 'blocked', note: 'gate' };
  if (leak)
    states.insulation = leak.found ? { state: 'done', note: leak.found } : { state: 'work', note: '' };
  const prove = decisions.find((d) => d.topic === 'prove')?.body;
  if (prove?.topic === 'prove' && !prove.passed) states.findings = { state: 'reopened', note: 'not proven' };
  if (has('hand-over')) states['hand-over'] = { state: 'done', note: '' };
  else if (has('prove') || (replace && !swaps)) states['hand-over'] = { state: 'work', note: '' };
  return states;
}

export async function viewDecisions(store: Store, rows: DecisionRow[]): Promise<Decision[]> {
  const people = await store.models.Person.findAll({
    where: { id: [...new Set(rows.map((r) => r.personId))] },
  });
  const name = new Map(people.map((p) => [p.id, p.name]));
  return rows.map((r) => ({
    id: r.id,
    topic: r.topic,
    version: r.version,
    body: r.body,
    note: r.note,
    findingIds: r.findingIds,
    signedBy: name.get(r.personId) ?? 'someone',
    signedAt: r.signedAt.toISOString(),
  }));
}

export async function viewJob(store: Store, number: unknown): Promise<Job> {
  const { job, profile, version } = await findJob(store, number);
  const { models } = store;
  const [scans, decisions, findings, stages] = await Promise.all([
    models.Scan.findAll({ where: { jobId: job.id }, order: [['createdAt', 'ASC']] }),
    currentDecisions(store, job.id),
    models.Finding.findAll({
      where: { jobId: job.id, topic: 'spread' },
      attributes: ['id', 'inputIds'],
      order: [['createdAt', 'ASC']],
    }),
    store.sequelize.query<{ stage: string }>('SELECT DISTINCT stage FROM readings WHERE job_id = :id', {
      replacements: { id: job.id },
      type: QueryTypes.SELECT,
    }),
  ]);
  const [gate, leak] = await Promise.all([
    gateOf(store, job.id, profile),
    models.Finding.findOne({ where: { jobId: job.id, topic: 'insulation' }, order: [['createdAt', 'DESC']] }),
  ]).then(([g, f]) => [g, (f?.result as InsulationReport | undefined) ?? null] as const);
  const people = await models.Person.findAll({ where: { id: [...new Set(scans.map((s) => s.personId))] } });
  const name = new Map(people.map((p) => [p.id, p.name]));
  // A record's own finding has no other input.
  const findingOf = new Map(
    findings.filter((f) => f.inputIds.length === 1).map((f) => [f.inputIds[0], f.id]),
  );
  return {
    id: job.id,
    number: job.number,
    title: job.title,
    complaint: job.complaint,
    openedAt: job.openedAt.toISOString(),
    pack: profile,
    packProfileId: job.packProfileId,
    packVersion: version,
    scans: scans.map((s): ScanSummary => ({
      id: s.id,
      name: s.name,
      role: s.role,
      recordedBy: name.get(s.personId) ?? 'someone',
      createdAt: s.createdAt.toISOString(),
      rows: s.rowCount,
      durationS: s.durationS,
      notices: s.notices,
      findingId: findingOf.get(s.id) ?? null,
      startedAt: s.startedAt?.toISOString() ?? null,
      format: s.format,
    })),
    decisions: await viewDecisions(store, decisions),
    route: routeOf(scans, decisions, new Set(stages.map((s) => s.stage)), gate, leak),
    gate,
    demoFiles: job.demoFiles,
  };
}

export async function createJob(store: Store, doing: Doing, body: unknown): Promise<{ number: number }> {
  const input = NewJobSchema.parse(body);
  if (!(await store.models.PackProfile.findByPk(input.packProfileId, { transaction: doing.tx })))
    throw notFound('That pack profile');
  const job = await store.models.Job.create(
    { id: randomUUID(), ...input },
    { transaction: doing.tx, returning: true },
  );
  await job.reload({ transaction: doing.tx });
  await audit(store, doing, job.id, 'job opened', job.title);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'jobs', job.number);
  return { number: job.number };
}

const BOARD_ROWS = 60;
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
  closed: boolean;
}

/** The jobs that need a person first, then those running by themselves: one indexed query whatever the archive holds. */
export async function board(store: Store, now = new Date()): Promise<{ rows: BoardRow[] }> {
  const rows = await store.sequelize.query<BoardRecord>(
    `SELECT number, title, need, need_detail, need_stage, need_since, due_at, marks, pack_profile_id AS profile_id, false AS closed
       FROM jobs WHERE closed_at IS NULL ORDER BY coalesce(due_at, need_since) LIMIT ${BOARD_ROWS}`,
    { type: QueryTypes.SELECT },
  );
  const recent = await store.sequelize.query<BoardRecord>(
    `SELECT number, title, need, need_detail, need_stage, need_since, due_at, marks, pack_profile_id AS profile_id, true AS closed
       FROM jobs WHERE closed_at IS NOT NULL ORDER BY closed_at DESC LIMIT 5`,
    { type: QueryTypes.SELECT },
  );
  const all = [...rows, ...recent];
  const profiles = await store.models.PackProfile.findAll({
    where: { id: [...new Set(all.map((r) => r.profile_id))] },
  });
  const tiles = new Map<string, Place[]>(
    profiles.map((p) => [p.id, normalisePack(p.profile).modules.map((m) => m.place)]),
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
        tiles: tiles.get(r.profile_id) ?? [],
      };
    }),
  };
}
