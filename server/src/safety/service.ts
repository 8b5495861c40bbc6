import {
  BeginLockoutSchema,
  CloseLockoutSchema,
  EndWatchSchema,
  NewStepSchema,
  type SafetyView,
} from '@cellmend/contract/safety';
import { openNow, type InsulationObservation } from '@cellmend/core/insulation';
import { fullV, normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import {
  chassisVoltage,
  CORRECTABLE,
  entryFault,
  formFault,
  HAZARD_NAMES,
  hazardsFrom,
  lockoutState,
  proofFault,
  watchMayEnd,
  watchPlan,
  type Hazard,
  type LockoutEntry,
  type StepData,
} from '@cellmend/core/safety';
import type { SpreadReport } from '@cellmend/core/spread';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { JobRow, ObservationRow } from '../db/models';
import { reportOf } from '../findings/stored';
import { computeInsulation } from '../findings/service';
import { announce, audit, type Doing, type Store } from '../http/context';
import { HttpProblem, notFound } from '../http/problems';
import { refreshNeed } from '../jobs/need';
import { viewPerson } from '../people/service';
import {
  bootOf,
  carefulPackV,
  contextOf,
  namesOf,
  observationsOf,
  openLockout,
  openStops,
  viewStop,
} from './gate';
import { workshopSettings } from './settings';
import { watchTemperatures } from './watch';

/** A proof measured longer ago than this on some tablet is measured again, min. From memory. */
const PROOF_FRESH_MIN = 10;

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
  const report = row ? reportOf(row) : null;
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
    findingId: known ? row!.id : null,
    report: known ? report : null,
  };
}

/** Hazards that intake's history and what was read of the pack select by themselves. */
async function suggestedHazards(
  store: Store,
  jobId: string,
  report: SpreadReport | null,
  tx?: Transaction,
): Promise<Hazard[]> {
  const intake = await store.models.Decision.findOne({
    where: { jobId, topic: 'intake' },
    order: [['version', 'DESC']],
    transaction: tx ?? null,
  });
  const signs: readonly string[] = intake?.body.topic === 'intake' ? intake.body.signs : [];
  const low =
    report?.outOfBounds.some((o) => ['reversed', 'dead', 'over-discharged'].includes(o.state)) ?? false;
  return hazardsFrom(signs, low || report?.pack.verdict === 'over-discharged');
}

/** The thermal watch that a lock-out's hazards began and nothing has ended. */
export async function openWatch(
  store: Store,
  jobId: string,
  rows: readonly ObservationRow[],
  tx?: Transaction,
): Promise<SafetyView['watch']> {
  const begun = [...rows].reverse().find((r) => r.kind === 'watch' || r.kind === 'watch-end');
  if (begun?.kind !== 'watch') return null;
  const { everyMin, leastHours, why } = begun.data as { everyMin: number; leastHours: number; why: string };
  const points = await watchTemperatures(store, jobId, tx);
  const sinceS = begun.recordedAt.getTime() / 1000;
  const end = watchMayEnd(points, sinceS, store.clock.now().wallMs / 1000, leastHours);
  return {
    since: begun.recordedAt.toISOString(),
    everyMin,
    leastHours,
    why,
    mayEnd: end.ok,
    whyNot: end.why,
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
  const suggested = await suggestedHazards(store, job.id, volts.report, tx);
  const lockout = openLockout(rows);
  const hazards = lockout?.hazards ?? suggested;
  const { packV, from } = await carefulPackV(store, job.id, pack, tx);
  const context = contextOf(pack, hazards, packV, rules);
  const now = store.clock.now();
  const state = lockout && lockoutState(context, lockout.entries, now);
  const entries = lockout?.entries ?? [];
  const names = await namesOf(store, [...rows.map((r) => r.personId), ...stops.map((s) => s.personId)], tx);
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
    openLinks: openNow(insulation.map((o) => o.data as InsulationObservation)),
    entries,
    evidence: rows.map((r) => ({
      id: r.id,
      kind: r.kind,
      says: sayObservation(r),
      by: names[r.personId] ?? 'someone',
      at: r.recordedAt.toISOString(),
      supersededBy: newer.get(r.id) ?? null,
      reason: r.reason,
    })),
    watch: await openWatch(store, job.id, rows, tx),
    names,
    settings: rules,
    gloves: { gloveClass: person?.gloveClass ?? null, testedOn: person?.gloveTested ?? null },
    stops: stops.map((s) => viewStop(s, names[s.personId] ?? 'someone')),
    holds: (state?.holds ?? false) && stops.length === 0,
    why: state?.why ?? '',
    now,
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
  data: object,
  said: string,
  corrects: { supersedes: string; reason: string } | null = null,
): Promise<string> {
  const moment = store.clock.now();
  const id = randomUUID();
  await store.models.Observation.create(
    {
      id,
      jobId: job.id,
      topic: 'make-safe',
      kind,
      data: { ...data, boot: bootOf(moment) },
      personId: doing.person.id,
      supersedes: corrects?.supersedes ?? null,
      reason: corrects?.reason ?? '',
      recordedAt: new Date(moment.wallMs),
    },
    { transaction: doing.tx },
  );
  await audit(
    store,
    doing,
    job.id,
    'make safe',
    kind,
    corrects ? `${said} (corrected: ${corrects.reason})` : said,
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'safety', job.number);
  return id;
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
  const asked = BeginLockoutSchema.parse(body);
  await lock(store, doing, job);
  if (openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx)))
    throw new HttpProblem(
      409,
      'Begun already',
      'A lock-out of this job is open. Close it before another is begun.',
    );
  // What intake and the readings say cannot be left out; more can be added.
  const volts = await moduleVoltages(store, job.id, normalisePack(profile), doing.tx);
  const known = await suggestedHazards(store, job.id, volts.report, doing.tx);
  const hazards = [...new Set([...known, ...asked.hazards])];
  await observe(store, doing, job, 'begin', { hazards }, hazards.map((h) => HAZARD_NAMES[h]).join(', '));
  return viewSafety(store, job, profile, doing.person.id, doing.tx);
}

/** Takes one step. Order, wait, gloves and age are checked here, whatever the page shows. */
export async function takeStep(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<SafetyView> {
  mustSign(doing);
  const { data, lockoutId, observedAt, supersedes, reason } = NewStepSchema.parse(body);
  await lock(store, doing, job);
  const lockout = openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx));
  if (!lockout) throw new HttpProblem(409, 'Not begun', 'The lock-out has not been begun.');
  if (lockout.id !== lockoutId)
    throw new HttpProblem(
      409,
      'Another lock-out',
      'The lock-out this step belongs to was closed; another is open. Nothing of it was taken.',
      { accepted: 'A step of the lock-out that is open now: look again, then do it anew.' },
    );
  const [stop] = await openStops(store, job.id, doing.tx);
  if (stop)
    throw new HttpProblem(423, 'Stopped', `Stopped: ${stop.kind}. End the stop first, with a reason.`);
  const rules = await workshopSettings(store, doing.tx);
  const pack = normalisePack(profile);
  const { packV } = await carefulPackV(store, job.id, pack, doing.tx);
  const context = contextOf(pack, lockout.hazards, packV, rules);
  const moment = store.clock.now();
  const entry: LockoutEntry = { ...data, atMs: moment.wallMs, by: doing.person.id, boot: bootOf(moment) };
  const today = new Date(moment.wallMs).toISOString().slice(0, 10);
  const refuse = (fault: string): never => {
    throw new HttpProblem(422, 'Cannot be taken', fault, { type: 'urn:cellmend:lockout' });
  };
  if (supersedes) {
    const old = lockout.entries.find((e) => e.id === supersedes);
    if (!old || old.step !== data.step) throw notFound('The entry to be corrected');
    if (!CORRECTABLE.has(data.step)) refuse('This is not corrected: it is measured, or done, again.');
    if (reason === '')
      throw new HttpProblem(400, 'Cannot be accepted', 'A correction says why.', {
        fields: [{ field: 'reason', message: 'A few words.' }],
      });
    const fault = formFault(context, lockout.entries, entry, today);
    if (fault !== '') refuse(fault);
    await observe(store, doing, job, data.step, data, sayStep(data), { supersedes, reason });
    return viewSafety(store, job, profile, doing.person.id, doing.tx);
  }
  if (data.step === 'live-dead-live') {
    const lateMin = (moment.wallMs - new Date(observedAt).getTime()) / 60_000;
    if (lateMin > PROOF_FRESH_MIN)
      refuse(`This proof was measured ${Math.round(lateMin)} min ago: measure again, then sign at once.`);
  }
  const fault = entryFault(context, lockout.entries, entry, today);
  if (fault !== '') refuse(fault);
  // A proof that fails is kept as it was measured; the gate stays closed by it.
  const failed = data.step === 'live-dead-live' ? proofFault(data, context) : '';
  await observe(store, doing, job, data.step, data, [sayStep(data), failed].filter(Boolean).join(': '));
  if (data.step === 'live-dead-live') {
    await putAwayCapacitors(store, doing, job);
    if (chassisVoltage(data, rules.deadV) !== '') await chassisFinding(store, doing, job, profile, data);
  }
  if (data.step === 'quarantine') await beginWatch(store, doing, job, lockout.hazards, data.place);
  if (data.step === 'gloves')
    await doing.person.update(
      { gloveClass: data.gloveClass, gloveTested: data.testedOn },
      { transaction: doing.tx },
    );
  if (data.step === 'disconnect') {
    const state = lockoutState(context, [...lockout.entries, entry], moment);
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

/** Voltage to chassis met at the proof is an observation of Insulation, whatever the gate says. */
async function chassisFinding(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  proof: Extract<StepData, { step: 'live-dead-live' }>,
): Promise<void> {
  const { plusMinusV, plusChassisV, minusChassisV } = proof;
  const data: InsulationObservation = { kind: 'chassis-voltage', plusMinusV, plusChassisV, minusChassisV };
  await store.models.Observation.create(
    {
      id: randomUUID(),
      jobId: job.id,
      topic: 'insulation',
      kind: data.kind,
      data,
      personId: doing.person.id,
      supersedes: null,
      reason: '',
      recordedAt: new Date(store.clock.now().wallMs),
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, job.id, 'insulation', 'voltage to chassis', chassisVoltage(proof, 0));
  await computeInsulation(store, doing, job, profile);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'insulation', job.number);
}

/** A pack that may still catch fire is watched from the moment it was put where it stands. */
async function beginWatch(
  store: Store,
  doing: Doing,
  job: JobRow,
  hazards: readonly Hazard[],
  place: string,
): Promise<void> {
  const plan = watchPlan(hazards);
  if (!plan) return;
  await observe(
    store,
    doing,
    job,
    'watch',
    plan,
    `every ${plan.everyMin} min for at least ${plan.leastHours} h`,
  );
  await store.models.Clock.create(
    {
      id: randomUUID(),
      jobId: job.id,
      label: `Thermal watch: next temperature, ${place}`.slice(0, 120),
      kind: 'thermal-watch',
      stage: 'make-safe',
      endsAt: new Date(store.clock.now().wallMs + plan.everyMin * 60_000),
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
}

/** A watch ends when its rule is met; before that only a lead ends it, with a written reason. */
export function mayEndWatch(doing: Doing, end: { ok: boolean; why: string }, reason: string): void {
  if (end.ok) return;
  if (doing.person.role !== 'lead')
    throw new HttpProblem(
      423,
      'The watch goes on',
      `${end.why} Before that only a lead may end it, with a written reason.`,
    );
  if (reason.trim().length < 3)
    throw new HttpProblem(
      400,
      'Cannot be accepted',
      `${end.why} A lead may end it all the same, and writes why.`,
      {
        fields: [{ field: 'reason', message: 'Why the watch may end.' }],
      },
    );
}

export async function endWatch(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<SafetyView> {
  mustSign(doing);
  const { reason } = EndWatchSchema.parse(body);
  await lock(store, doing, job);
  const watch = await openWatch(
    store,
    job.id,
    await observationsOf(store, job.id, 'make-safe', doing.tx),
    doing.tx,
  );
  if (!watch) throw notFound('A thermal watch');
  mayEndWatch(doing, { ok: watch.mayEnd, why: watch.whyNot }, reason);
  await observe(store, doing, job, 'watch-end', { reason, byRule: watch.mayEnd }, reason || 'by its rule');
  await putAwayWatch(store, doing, job);
  return viewSafety(store, job, profile, doing.person.id, doing.tx);
}

/** Clocks of a watch go when nothing asks for one any more. */
export async function putAwayWatch(store: Store, doing: Doing, job: JobRow): Promise<void> {
  const rows = await observationsOf(store, job.id, 'make-safe', doing.tx);
  const watching = (await openWatch(store, job.id, rows, doing.tx)) !== null;
  const stopped = (await openStops(store, job.id, doing.tx)).length > 0;
  if (watching || stopped) return;
  await store.models.Clock.update(
    { doneAt: new Date() },
    { where: { jobId: job.id, kind: 'thermal-watch', doneAt: null }, transaction: doing.tx },
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
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
  const ohm = (v: number | null): string => (v === null ? '' : v >= 1000 ? `${v / 1000} kΩ` : `${v} Ω`);
  switch (d.step) {
    case 'live-dead-live':
      return `meter ${d.meterBeforeV} V; + to − ${d.plusMinusV} V, + to chassis ${d.plusChassisV} V, − to chassis ${d.minusChassisV} V; meter ${d.meterAfterV} V`;
    case 'barrier':
      return d.secondPerson;
    case 'disconnect':
      return `kept by ${d.keptBy}`;
    case 'gloves':
      return `class ${d.gloveClass}, tested ${d.testedOn}`;
    case 'look':
      return `${d.calm ? 'calm' : 'NOT calm'}: ${d.text}`;
    case 'quarantine':
      return [`${d.decision === 'outdoors' ? 'outdoors' : 'stays'}, ${d.place}`, d.reason]
        .filter(Boolean)
        .join(': ');
    case 'pyro-evidence':
    case 'insulation-evidence':
      return [ohm(d.ohm), d.text].filter(Boolean).join(', ');
    case 'group-voltages':
      return [d.lowestV === null ? '' : `lowest ${d.lowestV} V`, d.text].filter(Boolean).join(', ');
    default:
      return '';
  }
}

/** One line for an observation of Make safe, for everybody who reads it back. */
export function sayObservation(row: Pick<ObservationRow, 'kind' | 'data'>): string {
  const data = row.data as Record<string, unknown>;
  switch (row.kind) {
    case 'begin':
      return ((data.hazards as Hazard[] | undefined) ?? []).map((h) => HAZARD_NAMES[h]).join(', ');
    case 'close':
      return [data.reason, data.note].filter(Boolean).join(': ');
    case 'watch':
      return `every ${String(data.everyMin)} min for at least ${String(data.leastHours)} h`;
    case 'watch-end':
      return data.byRule ? 'its rule was met' : String(data.reason);
    case 'crash-inspection':
      return String(data.text);
    default:
      return sayStep(data as unknown as StepData);
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

/** Closes every lock-out that was opened by a profile whose safety facts have changed: they are read anew. */
export async function closeGates(
  store: Store,
  doing: Doing,
  packProfileId: string,
  changed: readonly string[],
): Promise<void> {
  const jobs = await store.models.Job.findAll({
    where: { packProfileId, closedAt: null },
    order: [['number', 'ASC']],
    transaction: doing.tx,
    lock: doing.tx.LOCK.UPDATE,
  });
  for (const job of jobs) {
    if (!openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx))) continue;
    const note = `${changed.join(', ')} in the pack profile`;
    await observe(store, doing, job, 'close', { reason: 'profile-changed', note }, note);
    await putAwayCapacitors(store, doing, job);
  }
}
