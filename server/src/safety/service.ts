import {
  BeginLockoutSchema,
  CloseLockoutSchema,
  StepDataSchema,
  type SafetyView,
} from '@cellmend/contract/safety';
import { openNow, type InsulationObservation } from '@cellmend/core/insulation';
import { CELL_LIMITS, normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import {
  entryFault,
  lockoutState,
  proofFault,
  type LockoutEntry,
  type LockoutState,
  type StepData,
} from '@cellmend/core/safety';
import type { SpreadReport } from '@cellmend/core/spread';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { JobRow } from '../db/models';
import { announce, audit, type Doing, type Store } from '../http/context';
import { HttpProblem } from '../http/problems';
import { refreshNeed } from '../jobs/need';
import { viewPerson } from '../people/service';
import { contextOf, namesOf, observationsOf, openLockout, openStops, viewStop } from './gate';
import { workshopSettings } from './settings';

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
  const row = await store.models.Finding.findOne({
    where: { jobId, topic: 'spread' },
    order: [['createdAt', 'DESC']],
    transaction: tx ?? null,
  });
  const report = (row?.result as SpreadReport | undefined) ?? null;
  const rest =
    report &&
    [report.nearFull, report.nearEmpty].filter((s) => s !== null).sort((a, b) => b.timeS - a.timeS)[0];
  const cellV = (channel: number): number =>
    rest
      ? rest.channels[channel]!.voltageV / pack.channels[channel]!.cells
      : CELL_LIMITS[pack.profile.chemistry].fullV;
  return {
    moduleV: pack.modules.map((m) =>
      m.groupIndices.reduce((s, g) => s + cellV(pack.groups[g]!.channelIndex), 0),
    ),
    from: rest ? 'scan' : 'full',
    findingId: rest ? row!.id : null,
    report: rest ? report : null,
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
  const rows = await observationsOf(store, job.id, 'make-safe', tx);
  const insulation = await observationsOf(store, job.id, 'insulation', tx);
  const stops = await openStops(store, job.id, tx);
  const rules = await workshopSettings(store, tx);
  const volts = await moduleVoltages(store, job.id, pack, tx);
  const person = await store.models.Person.findByPk(personId, { transaction: tx ?? null });
  const intake = await store.models.Decision.findOne({
    where: { jobId: job.id, topic: 'intake' },
    order: [['version', 'DESC']],
    transaction: tx ?? null,
  });
  const lockout = openLockout(rows);
  const signs: readonly string[] = intake?.body.topic === 'intake' ? intake.body.signs : [];
  const suggestedRoute = signs.includes('crash')
    ? 'crash'
    : signs.includes('stood for months') && signs.includes('will not wake')
      ? 'under-voltage'
      : 'normal';
  const route = lockout?.route ?? suggestedRoute;
  const context = contextOf(pack, route, rules);
  const state = lockout && lockoutState(context, lockout.entries, Date.now());
  const entries = lockout?.entries ?? [];
  const names = await namesOf(store, [...entries.map((e) => e.by), ...stops.map((s) => s.personId)], tx);
  return {
    begun: lockout !== null,
    route,
    suggestedRoute,
    packV: context.packV,
    moduleVFrom: volts.from,
    moduleV: volts.moduleV,
    openLinks: openNow(insulation.map((o) => o.data as InsulationObservation)),
    entries,
    names,
    settings: rules,
    gloves: { gloveClass: person?.gloveClass ?? null, testedOn: person?.gloveTested ?? null },
    stops: stops.map((s) => viewStop(s, names[s.personId] ?? 'someone')),
    holds: (state?.holds ?? false) && stops.length === 0,
    why: state?.why ?? '',
    now: Date.now(),
  };
}

export function mustSign(doing: Doing): void {
  const person = viewPerson(doing.person);
  if (!person.maySignHv)
    throw new HttpProblem(
      403,
      'May not sign',
      `${person.name} may not prove a pack dead. ${person.hvReason}`,
      {
        accepted: 'Somebody whose high-voltage qualification is valid.',
      },
    );
}

export async function observe(
  store: Store,
  doing: Doing,
  job: JobRow,
  kind: string,
  data: unknown,
  said: string,
): Promise<void> {
  await store.models.Observation.create(
    {
      id: randomUUID(),
      jobId: job.id,
      topic: 'make-safe',
      kind,
      data,
      personId: doing.person.id,
      supersedes: null,
      reason: '',
      recordedAt: new Date(),
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, job.id, 'make safe', kind, said);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'safety', job.number);
}

export const lock = (store: Store, doing: Doing, job: JobRow): Promise<unknown> =>
  store.models.Job.findByPk(job.id, { transaction: doing.tx, lock: doing.tx.LOCK.UPDATE });

export async function beginLockout(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<SafetyView> {
  mustSign(doing);
  const { route } = BeginLockoutSchema.parse(body);
  await lock(store, doing, job);
  if (openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx)))
    throw new HttpProblem(
      409,
      'Begun already',
      'A lock-out of this job is open. Close it before another is begun.',
    );
  await observe(store, doing, job, 'begin', { route }, route);
  return viewSafety(store, job, profile, doing.person.id, doing.tx);
}

/** Takes one step. Order, wait and gloves are checked here, whatever the page shows. */
export async function takeStep(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<SafetyView> {
  mustSign(doing);
  const data = StepDataSchema.parse(body);
  await lock(store, doing, job);
  const lockout = openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx));
  if (!lockout) throw new HttpProblem(409, 'Not begun', 'The lock-out has not been begun.');
  const [stop] = await openStops(store, job.id, doing.tx);
  if (stop)
    throw new HttpProblem(423, 'Stopped', `Stopped: ${stop.kind}. End the stop first, with a reason.`);
  const rules = await workshopSettings(store, doing.tx);
  const pack = normalisePack(profile);
  const context = contextOf(pack, lockout.route, rules);
  const entry: LockoutEntry = { ...data, atMs: Date.now(), by: doing.person.id };
  const fault = entryFault(context, lockout.entries, entry, new Date().toISOString().slice(0, 10));
  if (fault !== '') throw new HttpProblem(422, 'Cannot be taken', fault, { type: 'urn:cellmend:lockout' });
  // A proof that fails is kept as it was measured; the gate stays closed by it.
  const failed = data.step === 'live-dead-live' ? proofFault(data) : '';
  await observe(store, doing, job, data.step, data, failed || sayStep(data));
  if (data.step === 'live-dead-live') await putAwayCapacitors(store, doing, job);
  if (data.step === 'gloves')
    await doing.person.update(
      { gloveClass: data.gloveClass, gloveTested: data.testedOn },
      { transaction: doing.tx },
    );
  if (data.step === 'disconnect') {
    const state: LockoutState = lockoutState(context, [...lockout.entries, entry], entry.atMs);
    await store.models.Clock.create(
      {
        id: randomUUID(),
        jobId: job.id,
        label: 'Wait for the capacitors',
        kind: 'capacitors',
        stage: 'make-safe',
        endsAt: new Date(state.waitEndsMs!),
        personId: doing.person.id,
      },
      { transaction: doing.tx },
    );
    await refreshNeed(store, doing.tx, job.id);
    await announce(store, doing.tx, 'clocks', job.number);
  }
  return viewSafety(store, job, profile, doing.person.id, doing.tx);
}

async function putAwayCapacitors(store: Store, doing: Doing, job: JobRow): Promise<void> {
  await store.models.Clock.update(
    { doneAt: new Date() },
    { where: { jobId: job.id, kind: 'capacitors', doneAt: null }, transaction: doing.tx },
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
}

function sayStep(d: StepData): string {
  switch (d.step) {
    case 'live-dead-live':
      return `${d.meterBeforeV} V, ${d.plusMinusV} V, ${d.plusChassisV} V, ${d.minusChassisV} V, ${d.meterAfterV} V`;
    case 'barrier':
      return d.secondPerson;
    case 'disconnect':
      return `kept by ${d.keptBy}`;
    case 'gloves':
      return `class ${d.gloveClass}, tested ${d.testedOn}`;
    default:
      return '';
  }
}

/** The gate closes: re-energised, the shift changed hands, or the work is over. Anybody who writes may close it. */
export async function closeLockout(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<SafetyView> {
  const { reason, note } = CloseLockoutSchema.parse(body);
  await lock(store, doing, job);
  if (!openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx)))
    throw new HttpProblem(409, 'Not begun', 'There is no lock-out to close.');
  await observe(store, doing, job, 'close', { reason, note }, note ? `${reason}: ${note}` : reason);
  await putAwayCapacitors(store, doing, job);
  return viewSafety(store, job, profile, doing.person.id, doing.tx);
}
