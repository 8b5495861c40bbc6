import { bodyOf } from '@cellmend/contract/decisions';
import { type SafetyView } from '@cellmend/contract/safety';
import { openNow, type InsulationObservation } from '@cellmend/core/insulation';
import { fullV, normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import {
  hazardsFrom,
  lockoutState,
  standbyOf,
  workersOf,
  workFault,
  type Hazard,
} from '@cellmend/core/safety';
import { offNow } from '@cellmend/core/stripdown';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import type { Transaction } from 'sequelize';
import type { JobRow, ObservationFacts } from '../db/rows';
import { selectRows } from '../db/select';
import { newestSpread } from '../findings/newest';
import { inTurn } from '../db/inTurn';
import { type Store } from '../domain/store';
import { linkRecord, linksOutAt } from '../insulation/linksOut';
import { carefulPackV, CLOSED, contextOf, namesOf, observationsOf, openLockout, viewStop } from './gate';
import { ticksOf } from '../stripdown/ticks';
import { rulesOf } from './rules';
import { workshopSettings } from './settings';
import { sayObservation } from './say';
import { openWatch } from './watch';

/** Volts of each module: from the newest scan, else as if the pack were full. */
export async function moduleVoltages(
  store: Store,
  jobId: string,
  pack: Pack,
  tx?: Transaction,
): Promise<{
  moduleV: number[];
  from: 'scan' | 'full';
  findingId: string | null;
  report: SpreadReport | null;
}> {
  const newest = await newestSpread(store, jobId, tx);
  const report = newest?.report ?? null;
  const volts = report?.settledV ?? [];
  const known = volts.length === pack.channels.length && volts.some((v) => v !== null);
  // A channel that was never read counts as full: the careful figure.
  const cellV = (channel: number): number => {
    const v = known ? volts[channel] : null;
    return v === null || v === undefined
      ? fullV(pack.profile, 1)
      : Math.max(0, v) / pack.channels[channel]!.cells;
  };
  return {
    moduleV: pack.modules.map((m) =>
      m.groupIndices.reduce((s, g) => s + cellV(pack.groups[g]!.channelIndex), 0),
    ),
    from: known ? 'scan' : 'full',
    findingId: known ? newest!.id : null,
    report: known ? report : null,
  };
}

/** Links that are out: those pulled to find a leak, and those taken off since. */
export async function openLinks(
  store: Store,
  jobId: string,
  profile: PackProfile,
  tx?: Transaction,
): Promise<string[]> {
  const [insulation, ticks] = await inTurn(tx, [
    () => observationsOf(store, jobId, 'insulation', tx),
    () => ticksOf(store, jobId, tx),
  ]);
  const ticked = new Set(ticks.map((t) => t.part));
  return [
    ...new Set([
      // A link that was ticked is where its tick says; one that counts as closed is the careful figure.
      ...openNow(insulation.map((o) => o.data as InsulationObservation)).filter((id) => !ticked.has(id)),
      ...offNow(ticks).filter((id) => profile.links?.some((l) => l.id === id)),
    ]),
  ];
}

/** Hazards that intake's history and what was read of the pack select by themselves. */
export async function suggestedHazards(
  store: Store,
  jobId: string,
  report: SpreadReport | null,
  tx?: Transaction,
): Promise<Hazard[]> {
  const [intake] = await selectRows(
    store,
    store.models.Decision,
    "WHERE job_id = :jobId AND topic = 'intake' ORDER BY version DESC LIMIT 1",
    { jobId },
    tx,
  );
  const body = intake && bodyOf(intake.body);
  const signs: readonly string[] = body?.topic === 'intake' ? body.signs : [];
  const low =
    report?.outOfBounds.some((o) => ['reversed', 'dead', 'over-discharged'].includes(o.state)) ?? false;
  return hazardsFrom(signs, low || report?.pack.verdict === 'over-discharged');
}

/** How the last lock-out ended, for whoever comes after a change of shift. */
function closedOf(rows: readonly ObservationFacts[], names: Record<string, string>): SafetyView['closed'] {
  const row = [...rows].reverse().find((r) => r.kind === 'close');
  if (!row) return null;
  const { reason, note } = row.data as { reason: string; note: string };
  return {
    why: [CLOSED[reason] ?? reason, note].filter(Boolean).join(': '),
    by: names[row.personId ?? ''] ?? 'the server',
    at: row.recordedAt.toISOString(),
  };
}

export async function viewSafety(
  store: Store,
  job: JobRow,
  profile: PackProfile,
  personId: string,
  tx?: Transaction,
): Promise<SafetyView> {
  const pack = normalisePack(profile);
  const [rows, allStops, rules, volts, [person], careful, open, record] = await inTurn(tx, [
    () => observationsOf(store, job.id, 'make-safe', tx),
    () =>
      selectRows(store, store.models.Stop, 'WHERE job_id = :jobId ORDER BY at DESC', { jobId: job.id }, tx),
    () => workshopSettings(store, tx),
    () => moduleVoltages(store, job.id, pack, tx),
    () => selectRows(store, store.models.Person, 'WHERE id = :personId', { personId }, tx),
    () => carefulPackV(store, job.id, pack, tx),
    () => openLinks(store, job.id, profile, tx),
    () => linkRecord(store, job.id, tx),
  ]);
  const stops = allStops.filter((s) => s.endedAt === null);
  const lockout = openLockout(rows);
  const [suggested, own, names, watch] = await inTurn(tx, [
    () => suggestedHazards(store, job.id, volts.report, tx),
    async () => lockout && (await rulesOf(store, lockout.rulesVersion, tx)),
    () => namesOf(store, [...rows.flatMap((r) => r.personId ?? []), ...stops.map((s) => s.personId)], tx),
    () => openWatch(store, job.id, rows, tx),
  ]);
  const settings = own ? { ...rules, ...own } : rules;
  const hazards = lockout?.hazards ?? suggested;
  const { packV, from } = careful;
  const context = contextOf(pack, hazards, packV, settings);
  const now = store.clock.now();
  const state = lockout && lockoutState(context, lockout.entries, now);
  const entries = lockout?.entries ?? [];
  const newer = new Map(rows.filter((r) => r.supersedes).map((r) => [r.supersedes, r.id]));
  return {
    begun: lockout !== null,
    lockoutId: lockout?.id ?? null,
    hazards,
    suggestedHazards: suggested,
    packV,
    packVFrom: from,
    moduleVFrom: volts.from,
    moduleV: volts.moduleV,
    openLinks: open,
    linksOut: linksOutAt(pack, record),
    entries,
    evidence: rows.map((r) => ({
      id: r.id,
      kind: r.kind,
      says: sayObservation(r),
      by: names[r.personId ?? ''] ?? 'someone',
      at: r.recordedAt.toISOString(),
      supersededBy: newer.get(r.id) ?? null,
      reason: r.reason,
    })),
    watch,
    names,
    settings,
    gloves: { gloveClass: person?.gloveClass ?? null, testedOn: person?.gloveTested ?? null },
    workers: workersOf(entries)
      .filter((w) => w.gloves !== null && w.tag !== '')
      .map((w) => ({
        id: w.by,
        name: names[w.by] ?? 'someone',
        tag: w.tag,
        gloveClass: w.gloves!.gloveClass,
      })),
    standby: standbyOf(entries),
    workFault: lockout
      ? workFault(
          packV,
          entries,
          { id: personId, name: person?.name ?? '' },
          new Date(now.wallMs).toISOString().slice(0, 10),
        )
      : '',
    closed: lockout ? null : closedOf(rows, names),
    stopKinds: [...new Set(allStops.map((s) => s.kind))],
    stops: stops.map((s) => viewStop(s, names[s.personId] ?? 'someone')),
    holds: (state?.holds ?? false) && stops.length === 0,
    why: state?.why ?? '',
    now,
  };
}
