import { type Gate, type SafetyRules, type Stop } from '@cellmend/contract/safety';
import { GATED_STAGES, type Stage } from '@cellmend/core/route';
import { normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import {
  HAZARDS,
  highestPackV,
  lockoutState,
  PROOF_WORDS,
  workFault,
  type Hazard,
  type LockoutContext,
  type LockoutEntry,
  type Moment,
  type StepData,
} from '@cellmend/core/safety';
import type { InsulationObservation } from '@cellmend/core/insulation';
import type { Transaction } from 'sequelize';
import type { ObservationFacts, ObservationRow, StopFacts } from '../db/rows';
import { inTurn } from '../db/inTurn';
import { select, selectRows } from '../db/select';
import { newestSpread } from '../findings/newest';
import type { Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { readingsOf } from '../records/readings';
import { rulesOf, rulesThen } from './rules';

/** A lock-out that is open: the entries since it was begun, in the order they were entered, corrections applied. */
export interface Lockout {
  id: string;
  /** The rules of the gate in force when it was begun; null where that was not written down. */
  rulesVersion: number | null;
  hazards: Hazard[];
  entries: (LockoutEntry & { id: string })[];
}

export async function observationsOf(
  store: Store,
  jobId: string,
  topic: ObservationRow['topic'],
  tx?: Transaction,
): Promise<ObservationFacts[]> {
  return selectRows(
    store,
    store.models.Observation,
    'WHERE job_id = :jobId AND topic = :topic ORDER BY seq',
    { jobId, topic },
    tx,
  );
}

/** Steps of the first version, in today's words. */
function modernStep(data: Record<string, unknown>): StepData {
  if (data.step === 'crash-inspection') return { step: 'look', text: String(data.text), calm: true };
  if (data.step === 'group-voltages' && data.text === undefined)
    return { step: 'group-voltages', lowestV: data.lowestV as number, text: '' };
  return data as StepData;
}
function hazardsOfBegin(data: { hazards?: Hazard[]; route?: string }): Hazard[] {
  if (data.hazards) return HAZARDS.filter((h) => data.hazards!.includes(h));
  return data.route === 'crash' || data.route === 'under-voltage' ? [data.route] : [];
}

/** Observations that are no step of the lock-out. */
const BESIDE = new Set(['watch', 'watch-end']);

/** The newest lock-out that was begun and not closed since. A correction stands where what it corrects stood. */
export function openLockout(rows: readonly ObservationFacts[]): Lockout | null {
  let found: Lockout | null = null;
  for (const row of rows) {
    if (BESIDE.has(row.kind)) continue;
    if (row.kind === 'begin') {
      const { rulesVersion = null } = row.data as { rulesVersion?: number };
      const hazards = hazardsOfBegin(row.data as { hazards?: Hazard[] });
      found = { id: row.id, rulesVersion, hazards, entries: [] };
      continue;
    }
    if (row.kind === 'close') {
      found = null;
      continue;
    }
    if (!found) continue;
    const { boot, ...data } = row.data as Record<string, unknown> & { boot?: LockoutEntry['boot'] };
    const entry = {
      ...modernStep(data),
      atMs: row.recordedAt.getTime(),
      by: row.personId ?? '',
      boot,
      id: row.id,
    };
    const at = row.supersedes === null ? -1 : found.entries.findIndex((e) => e.id === row.supersedes);
    if (at < 0) found.entries.push(entry);
    else {
      const { atMs, boot: then } = found.entries[at]!;
      found.entries[at] = { ...entry, atMs, boot: then };
    }
  }
  return found;
}

/** Highest voltage a pack may have: the careful one of what its profile says, what a scan showed and what was metered. */
export async function carefulPackV(
  store: Store,
  jobId: string,
  pack: Pack,
  tx?: Transaction,
): Promise<{ packV: number; from: 'profile' | 'scan' | 'meter' }> {
  const [newest, readings, insulation] = await inTurn(tx, [
    () => newestSpread(store, jobId, tx),
    () => readingsOf(store, jobId, { kind: 'voltage', places: [''] }, tx),
    () => observationsOf(store, jobId, 'insulation', tx),
  ]);
  const scanned = newest?.digest.settledV ?? 0;
  const metered = Math.max(
    0,
    ...readings.map((r) => Math.abs(r.value ?? 0)),
    ...insulation.map((o) => {
      const d = o.data as InsulationObservation;
      return d.kind === 'poles' ? d.packV : d.kind === 'chassis-voltage' ? Math.abs(d.plusMinusV) : 0;
    }),
  );
  const profile = highestPackV(pack);
  const packV = Math.max(profile, scanned, metered);
  return { packV, from: packV === profile ? 'profile' : packV === scanned ? 'scan' : 'meter' };
}

export const contextOf = (
  pack: Pack,
  hazards: readonly Hazard[],
  packV: number,
  rules: SafetyRules,
): LockoutContext => ({
  pack,
  hazards,
  packV,
  twoPersons: rules.twoPersons,
  gateHours: rules.gateHours,
  leastWaitMin: rules.leastWaitMin,
  deadV: rules.deadV,
});

/** What the database keeps of the machine's own count with each entry. */
export const bootOf = (m: Moment): LockoutEntry['boot'] =>
  m.bootId !== null && m.upS !== null ? { id: m.bootId, upS: m.upS } : undefined;

export const openStops = (store: Store, jobId: string, tx?: Transaction): Promise<StopFacts[]> =>
  selectRows(
    store,
    store.models.Stop,
    'WHERE job_id = :jobId AND ended_at IS NULL ORDER BY at DESC',
    { jobId },
    tx,
  );

export async function namesOf(
  store: Store,
  ids: string[],
  tx?: Transaction,
): Promise<Record<string, string>> {
  if (ids.length === 0) return {};
  const people = await select<{ id: string; name: string }>(
    store,
    'SELECT id, name FROM people WHERE id IN (:ids)',
    { ids: [...new Set(ids)] },
    tx,
  );
  return Object.fromEntries(people.map((p) => [p.id, p.name]));
}

export const viewStop = (s: StopFacts, by: string): Stop => ({
  id: s.id,
  kind: s.kind,
  place: s.place,
  note: s.note,
  by,
  at: s.at.toISOString(),
  outputs: s.outputs ?? [],
});

/** Whether the pack may be opened now, in short. */
export async function gateOf(
  store: Store,
  jobId: string,
  profile: PackProfile,
  tx?: Transaction,
  /** What was read already. */
  known: { rows?: ObservationFacts[]; stops?: StopFacts[] } = {},
): Promise<Gate> {
  const [rows, stops] = await inTurn(tx, [
    async () => known.rows ?? (await observationsOf(store, jobId, 'make-safe', tx)),
    async () => known.stops ?? (await openStops(store, jobId, tx)),
  ]);
  const lockout = openLockout(rows);
  const iso = (ms: number | null): string | null => (ms === null ? null : new Date(ms).toISOString());
  const names = await namesOf(
    store,
    stops.map((s) => s.personId),
    tx,
  );
  const stop = stops[0] ? viewStop(stops[0], names[stops[0].personId] ?? 'someone') : null;
  if (!lockout) {
    const closed = [...rows].reverse().find((r) => r.kind === 'close');
    const reason = (closed?.data as { reason?: string } | undefined)?.reason;
    return {
      holds: false,
      proof: null,
      provenAt: null,
      until: null,
      begun: false,
      why: stop
        ? `Stopped: ${stop.kind}.`
        : reason
          ? `The lock-out was closed (${CLOSED[reason] ?? reason}): begin again.`
          : 'Not proven dead: the lock-out has not been begun.',
      stop,
    };
  }
  const pack = normalisePack(profile);
  const [{ packV }, rules] = await inTurn(tx, [
    () => carefulPackV(store, jobId, pack, tx),
    () => rulesOf(store, lockout.rulesVersion, tx),
  ]);
  const state = lockoutState(
    contextOf(pack, lockout.hazards, packV, rules),
    lockout.entries,
    store.clock.now(),
  );
  const holds = state.holds && !stop;
  return {
    holds,
    proof: holds ? state.proof : null,
    provenAt: iso(state.provenMs),
    until: iso(state.holdsUntilMs),
    begun: true,
    why: stop ? `Stopped: ${stop.kind}.` : holds && state.proof ? PROOF_WORDS[state.proof].long : state.why,
    stop,
  };
}

/** Whether the pack was proven dead at some time in this job, whatever happened to the gate since. */
export async function everProven(
  store: Store,
  jobId: string,
  profile: PackProfile,
  rows: readonly ObservationFacts[],
  tx?: Transaction,
): Promise<boolean> {
  if (!rows.some((r) => r.kind === 'live-dead-live')) return false;
  const pack = normalisePack(profile);
  const { packV } = await carefulPackV(store, jobId, pack, tx);
  // Judged by the rules it was made under, however they were changed since.
  const rules = new Map<number | null, SafetyRules>();
  for (const row of rows.filter((r) => r.kind === 'begin')) {
    const { rulesVersion = null } = row.data as { rulesVersion?: number };
    rules.set(rulesVersion, await rulesThen(store, rulesVersion, tx));
  }
  // As it stood with each entry: after the proof may come evidence that has to be there as well.
  return rows.some((row, i) => {
    const then = openLockout(rows.slice(0, i + 1));
    const entry = then?.entries.find((e) => e.id === row.id);
    if (!then || !entry) return false;
    const moment: Moment = {
      wallMs: entry.atMs,
      bootId: entry.boot?.id ?? null,
      upS: entry.boot?.upS ?? null,
    };
    return lockoutState(
      contextOf(pack, then.hazards, packV, rules.get(then.rulesVersion)!),
      then.entries,
      moment,
    ).holds;
  });
}

/** Why a lock-out was closed, in words. */
export const CLOSED: Record<string, string> = {
  'profile-changed': 'what keeps people safe in the pack profile was changed',
  'taken-in': 'the job was taken in from an archive: what was proven elsewhere is proven here anew',
  restored: 'the workshop was restored from a backup: what was done after it is not known',
  shift: 'the shift changed hands',
  'voltage-met': 'voltage was met at terminals that had been proven dead',
};

/** Refuses work that opens the pack while the gate is closed. @throws 423 */
export async function requireGate(
  store: Store,
  jobId: string,
  profile: PackProfile,
  what: string,
  person: { id: string; name: string },
  tx: Transaction,
): Promise<void> {
  const gate = await gateOf(store, jobId, profile, tx);
  if (!gate.holds)
    throw new Refusal('closed', 'Closed by the gate', `${what} is closed. ${gate.why}`, {
      accepted: 'The lock-out, up to live–dead–live, under Make safe.',
    });
  const lockout = openLockout(await observationsOf(store, jobId, 'make-safe', tx));
  const { packV } = await carefulPackV(store, jobId, normalisePack(profile), tx);
  const today = new Date(store.clock.now().wallMs).toISOString().slice(0, 10);
  const fault = workFault(packV, lockout?.entries ?? [], person, today);
  if (fault !== '')
    throw new Refusal('closed', 'Not at work on it', `${what} is closed to ${person.name}. ${fault}`, {
      type: 'urn:cellmend:not-at-work',
      accepted: 'Join or take over under Make safe: own gloves, own key or tag, somebody else in sight.',
    });
}
export const isGated = (stage: Stage): boolean => GATED_STAGES.includes(stage);
