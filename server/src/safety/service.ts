import {
  BeginLockoutSchema,
  CloseLockoutSchema,
  EndWatchSchema,
  NewStepSchema,
  type SafetyView,
} from '@cellmend/contract/safety';
import { type InsulationObservation } from '@cellmend/core/insulation';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import {
  chassisVoltage,
  CORRECTABLE,
  entryFault,
  formFault,
  HAZARD_NAMES,
  isCalled,
  lockoutState,
  proofFault,
  standbyOf,
  workFault,
  type LockoutEntry,
  type StepData,
} from '@cellmend/core/safety';
import { randomUUID } from 'node:crypto';
import type { JobRow } from '../db/rows';
import { markDue } from '../findings/due';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { keepObservation } from '../records/observe';
import { bootOf, carefulPackV, contextOf, observationsOf, openLockout, openStops } from './gate';
import { lock, mustSign, observe } from './observe';
import { sayStep } from './say';
import { newestRules, rulesOf } from './rules';
import { moduleVoltages, suggestedHazards, viewSafety } from './view';
import { beginWatch, mayEndWatch, openWatch, putAwayWatch } from './watch';

/** A proof measured longer ago than this on some tablet is measured again, min. From memory. */
const PROOF_FRESH_MIN = 10;

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
    throw new Refusal(
      'conflict',
      'Begun already',
      'A lock-out of this job is open. Close it before another is begun.',
    );
  // What intake and the readings say cannot be left out; more can be added.
  const volts = await moduleVoltages(store, job.id, normalisePack(profile), doing.tx);
  const known = await suggestedHazards(store, job.id, volts.report, doing.tx);
  const hazards = [...new Set([...known, ...asked.hazards])];
  const { version } = await newestRules(store, doing.tx);
  await observe(
    store,
    doing,
    job,
    'begin',
    { hazards, rulesVersion: version },
    hazards.map((h) => HAZARD_NAMES[h]).join(', '),
  );
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
  if (!lockout) throw new Refusal('conflict', 'Not begun', 'The lock-out has not been begun.');
  if (lockout.id !== lockoutId)
    throw new Refusal(
      'conflict',
      'Another lock-out',
      'The lock-out this step belongs to was closed; another is open. Nothing of it was taken.',
      { accepted: 'A step of the lock-out that is open now: look again, then do it anew.' },
    );
  const [stop] = await openStops(store, job.id, doing.tx);
  if (stop)
    throw new Refusal('closed', 'Stopped', `Stopped: ${stop.kind}. End the stop first, with a reason.`);
  const rules = await rulesOf(store, lockout.rulesVersion, doing.tx);
  const pack = normalisePack(profile);
  const { packV } = await carefulPackV(store, job.id, pack, doing.tx);
  const context = contextOf(pack, lockout.hazards, packV, rules);
  const moment = store.clock.now();
  const entry: LockoutEntry = { ...data, atMs: moment.wallMs, by: doing.person.id, boot: bootOf(moment) };
  const today = new Date(moment.wallMs).toISOString().slice(0, 10);
  const refuse = (fault: string): never => {
    throw new Refusal('notPossible', 'Cannot be taken', fault, { type: 'urn:cellmend:lockout' });
  };
  if (supersedes) {
    const old = lockout.entries.find((e) => e.id === supersedes);
    if (!old || old.step !== data.step) throw notFound('The entry to be corrected');
    if (!CORRECTABLE.has(data.step)) refuse('This is not corrected: it is measured, or done, again.');
    if (reason === '')
      throw new Refusal('unacceptable', 'Cannot be accepted', 'A correction says why.', {
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
  const unfit = byWhom(packV, lockout.entries, entry, doing.person, today);
  if (unfit !== '') refuse(unfit);
  // A proof that fails is kept as it was measured; the gate stays closed by it.
  const failed = data.step === 'live-dead-live' ? proofFault(data, context) : '';
  await observe(store, doing, job, data.step, data, [sayStep(data), failed].filter(Boolean).join(': '));
  if (data.step === 'live-dead-live') {
    await putAwayCapacitors(store, doing, job);
    if (chassisVoltage(data, rules.deadV) !== '') await chassisFinding(store, doing, job, data);
  }
  if (data.step === 'quarantine') await beginWatch(store, doing, job, lockout.hazards, data.place);
  if (data.step === 'gloves' || data.step === 'join')
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

/** Why this step is not this person's to do; empty where it is. Whoever stays in sight works on nothing. */
function byWhom(
  packV: number,
  entries: readonly LockoutEntry[],
  entry: LockoutEntry,
  person: { id: string; name: string },
  today: string,
): string {
  switch (entry.step) {
    case 'barrier':
      return isCalled(entry.secondPerson, person.name)
        ? 'Whoever works does not stay in sight of themselves: name somebody else.'
        : '';
    case 'gloves':
    case 'low-voltage':
      return isCalled(standbyOf(entries), person.name)
        ? `${person.name} stays in sight and works on nothing: name somebody else first.`
        : '';
    case 'join':
      return isCalled(standbyOf([...entries, entry]), person.name)
        ? `${person.name} is the one who stays in sight: say who does from now on.`
        : '';
    case 'disconnect':
      return workFault(packV, [...entries, entry], person, today);
    case 'live-dead-live':
      return workFault(packV, entries, person, today);
    default:
      return '';
  }
}

/** Voltage to chassis met at the proof is an observation of Insulation, whatever the gate says. */
async function chassisFinding(
  store: Store,
  doing: Doing,
  job: JobRow,
  proof: Extract<StepData, { step: 'live-dead-live' }>,
): Promise<void> {
  const { plusMinusV, plusChassisV, minusChassisV } = proof;
  const data: InsulationObservation = { kind: 'chassis-voltage', plusMinusV, plusChassisV, minusChassisV };
  await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'insulation',
    kind: data.kind,
    data,
    stage: 'insulation',
    recordedAt: new Date(store.clock.now().wallMs),
  });
  await audit(store, doing, job.id, 'insulation', 'voltage to chassis', chassisVoltage(proof, 0));
  await markDue(store, doing, job.id, 'insulation');
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'insulation', job.number);
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

async function putAwayCapacitors(store: Store, doing: Doing, job: JobRow): Promise<void> {
  await store.models.Clock.update(
    { doneAt: new Date() },
    { where: { jobId: job.id, kind: 'capacitors', doneAt: null }, transaction: doing.tx },
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
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
    throw new Refusal('conflict', 'Not begun', 'There is no lock-out to close.');
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
  const packs = await store.models.Pack.findAll({
    where: { profileId: packProfileId },
    attributes: ['id'],
    transaction: doing.tx,
  });
  const jobs = await store.models.Job.findAll({
    where: { packId: packs.map((p) => p.id), closedAt: null },
    order: [['number', 'ASC']],
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  for (const job of jobs)
    await closeGate(store, doing, job, 'profile-changed', `${changed.join(', ')} in the pack profile`);
}

/** Closes the gate of a job for a reason that nobody pressed; one that is closed stays as it is. */
export async function closeGate(
  store: Store,
  doing: Doing,
  job: JobRow,
  reason: 'profile-changed' | 'taken-in' | 'voltage-met',
  note: string,
): Promise<void> {
  if (!openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx))) return;
  await observe(store, doing, job, 'close', { reason, note }, note);
  await putAwayCapacitors(store, doing, job);
}
