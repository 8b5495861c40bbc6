import { GATED_STAGES, type Gate, type Stop, type WorkshopSettings } from '@cellmend/contract/safety';
import { normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import {
  highestPackV,
  lockoutState,
  type LockoutContext,
  type LockoutEntry,
  type LockoutRoute,
  type StepData,
} from '@cellmend/core/safety';
import type { Transaction } from 'sequelize';
import type { ObservationRow, StopRow } from '../db/models';
import type { Store } from '../http/context';
import { HttpProblem } from '../http/problems';
import { workshopSettings } from './settings';

/** A lock-out that is open: the entries since it was begun, in order. */
export interface Lockout {
  route: LockoutRoute;
  entries: LockoutEntry[];
}

export async function observationsOf(
  store: Store,
  jobId: string,
  topic: ObservationRow['topic'],
  tx?: Transaction,
): Promise<ObservationRow[]> {
  return store.models.Observation.findAll({
    where: { jobId, topic },
    order: [
      ['recordedAt', 'ASC'],
      ['id', 'ASC'],
    ],
    transaction: tx ?? null,
  });
}

/** The newest lock-out that was begun and not closed since. */
export function openLockout(rows: readonly ObservationRow[]): Lockout | null {
  let found: Lockout | null = null;
  for (const row of rows) {
    if (row.kind === 'begin') found = { route: (row.data as { route: LockoutRoute }).route, entries: [] };
    else if (row.kind === 'close') found = null;
    else found?.entries.push({ ...(row.data as StepData), atMs: row.recordedAt.getTime(), by: row.personId });
  }
  return found;
}

export const contextOf = (pack: Pack, route: LockoutRoute, rules: WorkshopSettings): LockoutContext => ({
  pack,
  route,
  // What it may hold when full: the careful figure, whatever a scan said earlier.
  packV: highestPackV(pack),
  twoPersons: rules.twoPersons,
  gateHours: rules.gateHours,
  leastWaitMin: rules.leastWaitMin,
});

export const openStops = (store: Store, jobId: string, tx?: Transaction): Promise<StopRow[]> =>
  store.models.Stop.findAll({
    where: { jobId, endedAt: null },
    order: [['at', 'DESC']],
    transaction: tx ?? null,
  });

export async function namesOf(
  store: Store,
  ids: string[],
  tx?: Transaction,
): Promise<Record<string, string>> {
  const people = await store.models.Person.findAll({
    where: { id: [...new Set(ids)] },
    attributes: ['id', 'name'],
    transaction: tx ?? null,
  });
  return Object.fromEntries(people.map((p) => [p.id, p.name]));
}

export const viewStop = (s: StopRow, by: string): Stop => ({
  id: s.id,
  kind: s.kind,
  place: s.place,
  note: s.note,
  by,
  at: s.at.toISOString(),
});

/** Whether the pack may be opened now, in short. */
export async function gateOf(
  store: Store,
  jobId: string,
  profile: PackProfile,
  tx?: Transaction,
): Promise<Gate> {
  // One after the other: within a transaction there is one connection.
  const rows = await observationsOf(store, jobId, 'make-safe', tx);
  const stops = await openStops(store, jobId, tx);
  const rules = await workshopSettings(store, tx);
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
      provenAt: null,
      until: null,
      begun: false,
      why: stop
        ? `Stopped: ${stop.kind}.`
        : reason
          ? `The lock-out was closed (${reason}): begin again.`
          : 'Not proven dead: the lock-out has not been begun.',
      stop,
    };
  }
  const state = lockoutState(
    contextOf(normalisePack(profile), lockout.route, rules),
    lockout.entries,
    Date.now(),
  );
  return {
    holds: state.holds && !stop,
    provenAt: iso(state.provenMs),
    until: iso(state.holdsUntilMs),
    begun: true,
    why: stop ? `Stopped: ${stop.kind}.` : state.why,
    stop,
  };
}

/** Refuses work that opens the pack while the gate is closed. @throws 423 */
export async function requireGate(
  store: Store,
  jobId: string,
  profile: PackProfile,
  what: string,
  tx: Transaction,
): Promise<void> {
  const gate = await gateOf(store, jobId, profile, tx);
  if (!gate.holds)
    throw new HttpProblem(423, 'Closed by the gate', `${what} is closed. ${gate.why}`, {
      accepted: 'The lock-out, up to live–dead–live, under Make safe.',
    });
}
export const isGated = (stage: string): boolean => (GATED_STAGES as readonly string[]).includes(stage);
