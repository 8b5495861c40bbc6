import type { Stage } from '@cellmend/contract/jobs';
import type { InsulationReport } from '@cellmend/core/insulation';
import { judgeVoltage, normalisePack, OUT_OF_BOUNDS, type Pack } from '@cellmend/core/pack';
import type { Transaction } from 'sequelize';
import type { DecisionRow } from '../db/rows';
import { reportOf } from '../findings/stored';
import type { Store } from '../http/context';

export interface Need {
  need: string;
  detail: string;
  stage: Stage;
}
export interface NeedFacts {
  scans: { role: 'before' | 'after' }[];
  decisions: Pick<DecisionRow, 'topic' | 'body'>[];
  headline: string;
  complaint: string;
  /** What made somebody press Stop, while that stands. */
  stop?: string | undefined;
  /** What is known of a leak: its title, and the place once it is found. */
  leak?: { title: string; found: string | null } | undefined;
  /** Cells beyond their floor or ceiling by a reading somebody took, in one line. */
  danger?: string | undefined;
  /** An instrument whose output could not be reached. */
  output?: string | undefined;
}

/** What a person has to do next on a job, from what is recorded. Pure. */
export function nextNeed({
  scans,
  decisions,
  headline,
  complaint,
  stop,
  leak,
  danger,
  output,
}: NeedFacts): Need {
  if (output)
    return {
      need: 'Switch it off',
      detail: `${output}: its output could not be reached. Switch it off by hand, then say so under Instruments.`,
      stage: 'insulation',
    };
  if (stop)
    return { need: 'Stopped', detail: `Stopped: ${stop}. Nobody opens this pack.`, stage: 'make-safe' };
  const decided = new Map(decisions.map((d) => [d.topic, d.body]));
  const replace = decided.get('replace');
  const modules = replace?.topic === 'replace' ? replace.modules.join(', ') : '';
  if (leak && !replace)
    return leak.found
      ? { need: 'Decide', detail: `Leak at ${leak.found}. Replace, or tell the owner?`, stage: 'findings' }
      : { need: 'Find the leak', detail: `${leak.title}.`, stage: 'insulation' };
  if (danger && !replace) return { need: 'Look first', detail: danger, stage: 'findings' };
  if (!scans.some((s) => s.role === 'before'))
    return {
      need: 'Scan',
      detail: complaint || 'No scan yet. Drop the file from the scan tool.',
      stage: 'scan',
    };
  if (!replace)
    return { need: 'Decide', detail: `${headline}. Replace, or tell the owner?`, stage: 'findings' };
  if (replace.topic === 'replace' && replace.modules.length === 0)
    return decided.has('hand-over')
      ? { need: 'Closed', detail: 'Handed over.', stage: 'hand-over' }
      : {
          need: 'Hand over',
          detail: 'Nothing is replaced. Write what the owner should know.',
          stage: 'hand-over',
        };
  if (!decided.has('match'))
    return {
      need: 'Choose a module',
      detail: `${modules} is to be replaced. Pick the donor that fits the rest.`,
      stage: 'match',
    };
  if (!decided.has('balance'))
    return { need: 'Plan balance', detail: `The donor for ${modules} has to come level.`, stage: 'balance' };
  if (!scans.some((s) => s.role === 'after'))
    return {
      need: 'Scan again',
      detail: `${modules} goes in. Then scan near full and near empty.`,
      stage: 'scan',
    };
  if (!decided.has('prove'))
    return { need: 'Compare', detail: 'The after-scan is in. Is the repair proven?', stage: 'prove' };
  if (!decided.has('hand-over'))
    return {
      need: 'Hand over',
      detail: 'Write what the owner should know and print the sheet.',
      stage: 'hand-over',
    };
  return { need: 'Closed', detail: 'Handed over.', stage: 'hand-over' };
}

/** The newest version of each decision. */
export async function currentDecisions(
  store: Store,
  jobId: string,
  tx?: Transaction,
): Promise<DecisionRow[]> {
  const rows = await store.models.Decision.findAll({
    where: { jobId },
    order: [['version', 'DESC']],
    transaction: tx ?? null,
  });
  const seen = new Set<string>();
  return rows.filter((r) => !seen.has(r.topic) && seen.add(r.topic));
}

/** Channels and modules that somebody metered beyond floor or ceiling, in one line. */
async function dangerOf(
  store: Store,
  tx: Transaction,
  jobId: string,
  pack: Pack,
): Promise<string | undefined> {
  const rows = await store.models.Reading.findAll({
    where: { jobId, kind: 'voltage' },
    order: [['recordedAt', 'ASC']],
    transaction: tx,
  });
  const old = new Set(rows.map((r) => r.supersedes));
  const newest = new Map(rows.filter((r) => !old.has(r.id)).map((r) => [r.place, r]));
  const bad = [...newest].flatMap(([place, r]) => {
    const module = pack.modules.find((m) => m.id === place);
    const channel = pack.channels.find((c) => c.id === place);
    const cells =
      r.conditions === 'per group'
        ? 1
        : (channel?.cells ?? module?.groupIndices.length ?? pack.groups.length);
    const judged = judgeVoltage(pack.profile, cells, r.value ?? NaN);
    return OUT_OF_BOUNDS.has(judged.state) ? [`${place || 'Pack'} ${judged.says}`] : [];
  });
  if (bad.length === 0) return undefined;
  return bad.slice(0, 2).join(' ') + (bad.length > 2 ? ` And ${bad.length - 2} more.` : '');
}

/** Works out anew what the board shows of a job; called in the transaction of every write to it. */
export async function refreshNeed(store: Store, tx: Transaction, jobId: string): Promise<void> {
  const { models } = store;
  const job = (await models.Job.findByPk(jobId, { transaction: tx }))!;
  const scans = await models.Scan.findAll({ where: { jobId }, attributes: ['role'], transaction: tx });
  const decisions = await currentDecisions(store, jobId, tx);
  const finding = await models.Finding.findOne({
    where: { jobId, topic: 'spread' },
    order: [['createdAt', 'DESC']],
    transaction: tx,
  });
  const clock = await models.Clock.findOne({
    where: { jobId, doneAt: null },
    order: [['endsAt', 'ASC']],
    transaction: tx,
  });
  const profile = await models.PackProfile.findByPk(job.packProfileId, { transaction: tx });
  const stop = await models.Stop.findOne({ where: { jobId, endedAt: null }, transaction: tx });
  const leakFinding = await models.Finding.findOne({
    where: { jobId, topic: 'insulation' },
    order: [['createdAt', 'DESC']],
    transaction: tx,
  });
  const leak = leakFinding?.result as InsulationReport | undefined;
  const pack = normalisePack(profile!.profile);
  const lost = await models.InstrumentRun.findOne({ where: { jobId, output: 'unknown' }, transaction: tx });
  const unreached = lost && (await models.Instrument.findByPk(lost.instrumentId, { transaction: tx }));
  const next = nextNeed({
    scans,
    decisions,
    headline: finding?.headline ?? '',
    complaint: job.complaint,
    stop: stop?.kind,
    leak: leak && { title: leak.title, found: leak.found },
    danger: await dangerOf(store, tx, jobId, pack),
    output: unreached?.name,
  });
  const replace = decisions.find((d) => d.topic === 'replace')?.body;
  const replaced =
    decisions.some((d) => d.topic === 'match') && replace?.topic === 'replace' ? replace.modules : [];
  const suspects =
    (finding ? reportOf(finding).findings : [])
      .filter((f) => f.verdict !== 'undetermined')
      .flatMap((f) => f.module.split(' + ')) ?? [];
  const marks = pack.modules.flatMap((m): { module: number; kind: 'suspect' | 'replaced' }[] =>
    replaced.includes(m.id)
      ? [{ module: m.index, kind: 'replaced' }]
      : suspects.includes(m.id)
        ? [{ module: m.index, kind: 'suspect' }]
        : [],
  );
  const closed = next.need === 'Closed';
  const shown =
    clock && !closed && !stop ? { need: clock.label, detail: next.detail, stage: clock.stage } : next;
  await job.update(
    {
      need: shown.need,
      needDetail: shown.detail,
      needStage: shown.stage,
      needSince: job.need === shown.need ? job.needSince : new Date(),
      dueAt: clock && !closed ? clock.endsAt : null,
      closedAt: closed ? (job.closedAt ?? new Date()) : null,
      marks,
    },
    { transaction: tx },
  );
}
