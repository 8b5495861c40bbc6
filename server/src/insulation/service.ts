import { NewInsulationSchema, StreamTestSchema, type InsulationEntry } from '@cellmend/contract/insulation';
import {
  checkSeries,
  seriesQuery,
  testedLabel,
  testVoltageBounds,
  reachOf,
  terminalsOf,
  type InsulationObservation,
} from '@cellmend/core/insulation';
import { CLASS_B_V } from '@cellmend/core/safety';
import { InputProblem, limitValue, normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import { isTester } from '@cellmend/contract/instruments';
import { TESTERS } from '@cellmend/devices/drivers';
import { runTest, type Instrument } from '@cellmend/devices/instrument';
import type { Transaction } from 'sequelize';
import type { InstrumentRunRow, JobRow, PersonRow } from '../db/rows';
import { markDue } from '../findings/due';
import { announce, announceNow, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { clipDemo } from '../instruments/demo';
import type { InstrumentRuns } from '../instruments/runs';
import { allowedHost, findInstrument } from '../instruments/service';
import { refreshNeed } from '../jobs/need';
import { keepObservation } from '../records/observe';
import { gateOf, observationsOf, requireGate } from '../safety/gate';
import { closeGate } from '../safety/service';
import { linkRecord, linksOutAt } from './linksOut';

type Tester = Extract<InsulationObservation, { kind: 'tester' }>;

export async function listInsulation(store: Store, jobId: string): Promise<InsulationEntry[]> {
  const rows = await observationsOf(store, jobId, 'insulation');
  const people = new Map(
    (await store.models.Person.findAll({ attributes: ['id', 'name'] })).map((p) => [p.id, p.name]),
  );
  const by = new Map(rows.filter((r) => r.supersedes).map((r) => [r.supersedes, r.id]));
  return rows.map((r) => ({
    id: r.id,
    observation: r.data as InsulationObservation,
    by: people.get(r.personId ?? '') ?? 'someone',
    at: r.recordedAt.toISOString(),
    supersededBy: by.get(r.id) ?? null,
    reason: r.reason,
  }));
}

/** An observation that was kept; the finding it leads to is computed once the write has committed. */
export interface Kept {
  jobId: string;
}

/** Things that open the pack or put voltage on it wait for the gate. */
function needsGate(o: InsulationObservation): string | null {
  if (o.kind === 'tester') return 'An insulation test';
  if (o.kind === 'link' && o.open) return 'Pulling a link';
  if (o.kind === 'poles' && o.section) return 'Measuring a part of the string';
  return null;
}

function checkPlaces(o: InsulationObservation, pack: Pack): void {
  if (o.kind === 'vehicle' && o.readAt !== undefined && Date.parse(o.readAt) > Date.now() + 60_000)
    throw new InputProblem(
      'moment',
      `${o.readAt} is still to come.`,
      'when the vehicle showed it',
      'A moment that is past, or none for now.',
    );
  if (o.kind === 'vehicle' && o.fromScan)
    throw new InputProblem(
      'from-scan',
      `The figure is said to stand in ${o.fromScan.name}.`,
      'where the figure is from',
      'The scan itself, under Scan: its figures are taken from it.',
    );
  const known = (id: string): boolean => pack.modules.some((m) => m.id === id);
  const isLink = (id: string): boolean => (pack.profile.links ?? []).some((l) => l.id === id);
  const wrong =
    o.kind === 'seen' && !known(o.module)
      ? o.module
      : o.kind === 'outside' && o.modules.some((id) => !known(id))
        ? o.modules.find((id) => !known(id))
        : o.kind === 'tester' && o.tested.part === 'section'
          ? [o.tested.from, o.tested.to].find((id) => !known(id))
          : o.kind === 'tester' &&
              (o.tested.part === 'except' || o.tested.part === 'inside') &&
              !known(o.tested.module)
            ? o.tested.module
            : o.kind === 'tester' && o.openLinks?.some((l) => !isLink(l))
              ? o.openLinks.find((l) => !isLink(l))
              : o.kind === 'poles' && o.section
                ? [o.section.from, o.section.to].find((id) => !known(id))
                : o.kind === 'link' && !isLink(o.link)
                  ? o.link
                  : undefined;
  if (wrong !== undefined)
    throw new Refusal('unacceptable', 'Cannot be accepted', `The pack has no ${wrong}.`, {
      fields: [
        {
          field: 'observation',
          message: `A module such as ${pack.modules[0]!.id}, or a link of the profile.`,
        },
      ],
    });
}

const seriesInput = (o: Tester, pack: Pack) => {
  const { leastV, mostV } = testVoltageBounds(pack);
  return {
    setV: o.setV,
    points: o.points,
    temperatureC: o.temperatureC,
    modules: 1,
    moduleLeastOhm: limitValue(pack.profile, 'moduleInsulationOhm'),
    workingV: leastV,
    mostV,
    mounted: o.mounted,
    tester: o.tester,
    lockedOutV: o.lockedOutV,
  };
};

/** What a tester entry has to satisfy before it is stored. @throws InputProblem or 422 */
function checkTest(
  o: InsulationObservation,
  pack: Pack,
  { managementDisconnected, confirmed }: Pick<Allowance, 'managementDisconnected' | 'confirmed'>,
): void {
  if (o.kind !== 'tester') return;
  if (!managementDisconnected)
    throw new InputProblem(
      'management-connected',
      'The management unit is not said to be disconnected: a test voltage would destroy its boards.',
      'before the test voltage',
      'Sense and management plugs off, said so with the test.',
    );
  const input = seriesInput(o, pack);
  checkSeries(input);
  const query = seriesQuery(input);
  if (query !== '' && !confirmed)
    throw new InputProblem(
      'query',
      query,
      'the series',
      'The right figures, or the same again once they are confirmed.',
    );
}

/**
 * Voltage at terminals that are proven dead asks which terminals they are. Where it is so, the proof is no more: the gate closes, and the
 * reading is kept. @throws InputProblem until somebody has said that it is so
 */
async function closeWhereLive(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  o: InsulationObservation,
  confirmed: boolean,
): Promise<void> {
  // Between open links a part of the string stays live; its own terminals are what was proven.
  if (o.kind !== 'poles' || o.section || o.side === 'pack' || o.packV <= CLASS_B_V) return;
  const { holds } = await gateOf(store, job.id, profile, doing.tx);
  if (!holds) return;
  if (!confirmed)
    throw new InputProblem(
      'query',
      `${o.packV} V between terminals of a pack that is proven dead.`,
      'the voltage of the pack',
      'The part that was measured, if it was one between open links; or that it is so: then the proof no longer holds, and the gate closes.',
    );
  await store.models.Job.findByPk(job.id, {
    attributes: ['id'],
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  await closeGate(store, doing, job, 'voltage-met', `${o.packV} V`);
}

/** How an entry is allowed to be made: what the form said, or what a run of an instrument already was asked. */
interface Allowance {
  managementDisconnected: boolean;
  confirmed: boolean;
  /** The gate held when the test began: a reading that was taken is not lost because somebody pressed Stop since. */
  gateHeld: boolean;
}

/** Stores an observation and computes the finding anew, in one transaction. */
export async function addInsulation(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<Kept> {
  const input = NewInsulationSchema.parse(body);
  return keep(
    store,
    doing,
    job,
    profile,
    input.observation,
    { managementDisconnected: input.managementDisconnected, confirmed: input.confirmed, gateHeld: false },
    input.supersedes ? { supersedes: input.supersedes, reason: input.reason } : null,
  );
}

/**
 * A test with the links that were out: those of the record, and those that who tested names besides. @throws InputProblem where the record
 * has one out that the test says is in
 */
async function withOpenLinks(
  store: Store,
  jobId: string,
  pack: Pack,
  o: InsulationObservation,
  { refuse, tx }: { refuse: boolean; tx?: Transaction },
): Promise<InsulationObservation> {
  if (o.kind !== 'tester') return o;
  const record = await linkRecord(store, jobId, tx);
  const out = linksOutAt(pack, record);
  const said = o.openLinks ?? out;
  const missed = out.filter((id) => !said.includes(id));
  if (refuse && missed.length > 0)
    throw new InputProblem(
      'series',
      `By the record ${missed.join(' and ')} ${missed.length > 1 ? 'are' : 'is'} out, and the test says ${missed.length > 1 ? 'they are' : 'it is'} in.`,
      'links that are out',
      'Where it is in again: say so in strip down, or with the lock-out, first.',
    );
  return { ...o, openLinks: [...new Set([...out, ...said])] };
}

async function keep(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  observation: InsulationObservation,
  allow: Allowance,
  corrects: { supersedes: string; reason: string } | null = null,
): Promise<Kept> {
  const pack = normalisePack(profile);
  checkPlaces(observation, pack);
  const what = allow.gateHeld ? null : needsGate(observation);
  if (what) await requireGate(store, job.id, profile, what, doing.person, doing.tx);
  checkTest(observation, pack, allow);
  const kept = await withOpenLinks(store, job.id, pack, observation, {
    // What was read is kept: a link that was moved while the test ran is added to it.
    refuse: !allow.gateHeld,
    tx: doing.tx,
  });
  await closeWhereLive(store, doing, job, profile, observation, allow.confirmed);
  await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'insulation',
    kind: observation.kind,
    data: kept,
    stage: 'insulation',
    recordedAt: new Date(),
    corrects,
  });
  await audit(
    store,
    doing,
    job.id,
    corrects ? 'insulation corrected' : 'insulation',
    observation.kind,
    corrects ? `${say(observation)} (${corrects.reason})` : say(observation),
  );
  await markDue(store, doing, job.id, 'insulation');
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'insulation', job.number);
  return { jobId: job.id };
}

function say(o: InsulationObservation): string {
  switch (o.kind) {
    case 'vehicle':
      return `${o.ohm !== null ? `${o.ohm} Ω shown` : `${o.signalV} V of signal`}${o.pole ? `, ${o.pole} pole` : ''}${o.after ? `, after ${o.after}` : ''}${o.readAt ? `, read ${o.readAt}` : ''}`;
    case 'poles':
      return `${o.section ? `${o.section.from} to ${o.section.to}: ` : ''}− ${o.negativeV} V, + ${o.positiveV} V of ${o.packV} V`;
    case 'limit-voltage':
      return `limit by the ${o.by === 'working' ? 'highest working' : 'measured'} voltage`;
    case 'known-resistor':
      return `V1 ${o.v1} V, V2 ${o.v2} V, with ${o.r0Ohm} Ω ${o.v1WithR0} V`;
    case 'tester':
      return `${testedLabel(o.tested)}${o.wetted ? ', wetted' : ''}, ${o.setV} V, ${o.lockedOutV !== undefined ? `locked out by ${o.lockedOutV} V` : `${o.points.length} readings`}`;
    case 'seen':
      return `${o.degree && o.degree !== 'clear' ? `${o.degree} ` : ''}${o.evidence} at ${o.module}`;
    case 'ways':
      return `${o.of} ${o.ways.join(', ')}: ${o.state}${o.part && o.part !== 'as it was' ? `, ${o.part}` : ''}`;
    case 'outside':
      return `mud outside at ${o.modules.join(', ')}: ${o.mudMm} mm`;
    case 'answer':
      return `${o.question}: ${o.yes ? 'yes' : 'no'}`;
    case 'fuse':
      return `${o.fuse} fuse: ${o.ohm === null ? 'open' : `${o.ohm} Ω`}`;
    case 'chassis-voltage':
      return `+ to chassis ${o.plusChassisV} V, − to chassis ${o.minusChassisV} V at the proof`;
    case 'link':
      return `${o.link} ${o.open ? 'out' : 'back in'}`;
  }
}

/** What a run was asked, as it is kept with it. */
interface RunParameters extends Omit<Tester, 'kind' | 'points' | 'tester'> {
  managementDisconnected: boolean;
  confirmed: boolean;
}
const observationOf = (run: InstrumentRunRow): InsulationObservation => {
  const { managementDisconnected, confirmed, ...told } = run.parameters as unknown as RunParameters;
  void [managementDisconnected, confirmed];
  return { kind: 'tester', ...told, points: run.points ?? [] };
};

/**
 * Runs a test on an instrument of the workshop. Key, gate, management unit and voltage are checked before anything is
 * switched on; a repeat of the same key joins the running test.
 */
export async function runOnInstrument(
  store: Store,
  runs: InstrumentRuns,
  job: JobRow,
  profile: PackProfile,
  person: PersonRow,
  key: string,
  body: unknown,
  signal: AbortSignal,
): Promise<InstrumentRunRow> {
  const input = StreamTestSchema.parse(body);
  const pack = normalisePack(profile);
  const { instrumentId, seconds, ...parameters } = input;
  // A repeat is answered from what the first did, also when the gate has closed since.
  const known = await store.models.InstrumentRun.findOne({ where: { key } });
  const instrument = await findInstrument(store, instrumentId);
  const { leastV, mostV } = testVoltageBounds(pack);
  const most = Math.min(mostV, instrument.mostV);
  if (!known) {
    await store.sequelize.transaction((tx) =>
      requireGate(store, job.id, profile, 'An insulation test', person, tx),
    );
    if (!input.managementDisconnected)
      throw new InputProblem(
        'management-connected',
        'The management unit is not said to be disconnected: no test voltage is applied.',
        'before the test voltage',
        'Sense and management plugs off, said so with the test.',
      );
    if (input.setV > most)
      throw new InputProblem(
        'series',
        `${input.setV} V is more than the ${most} V that is allowed here.`,
        'test voltage',
        `At most ${most} V.`,
      );
    if (input.setV < leastV && leastV <= most)
      throw new InputProblem(
        'series',
        `${input.setV} V is below the ${Math.round(leastV)} V that this pack has at work: a pass there proves nothing.`,
        'test voltage',
        `${Math.ceil(leastV)} to ${most} V.`,
      );
    const setUp: InsulationObservation = { ...parameters, kind: 'tester', points: [] };
    checkPlaces(setUp, pack);
    await withOpenLinks(store, job.id, pack, setUp, { refuse: true });
    allowedHost(instrument.host);
  }
  if (instrument.simulated) {
    const terminals = terminalsOf(input);
    // A tester in the hand is on some pole, whether or not anybody says which.
    const reach = reachOf(pack, {
      tested: input.tested,
      terminals: terminals ?? 'negative',
      open: input.openLinks ?? linksOutAt(pack, await linkRecord(store, job.id)),
    });
    clipDemo(pack.modules.length, reach.certain.length > 0 ? reach.certain : reach.possible);
  }
  const { driver, host, port } = instrument;
  if (!isTester(driver))
    throw new InputProblem(
      'instrument',
      `${instrument.name} is no insulation tester.`,
      'instrument',
      'An insulation tester of this workshop.',
    );
  const open = (): Promise<Instrument> => TESTERS[driver](host, port);
  return runs.run({
    key,
    job,
    person,
    instrument,
    parameters: { ...parameters },
    signal,
    open,
    drive: (device, { signal: stopped }) =>
      runTest(device, open, {
        setV: input.setV,
        mostV: most,
        seconds,
        timeScale: instrument.timeScale,
        signal: stopped,
        onPoint: (point) => void announceNow(store, { topic: 'tester', job: job.number, point }),
      }),
  });
}

/** Why a run's readings are not stored as they are; null if they are. */
function askedOf(run: InstrumentRunRow, pack: Pack): string | null {
  const o = observationOf(run);
  if (o.kind !== 'tester') return null;
  const query = seriesQuery(seriesInput(o, pack));
  return query === '' ? null : query;
}

/**
 * Stores what a run read. One that was interrupted is not stored as a test; one whose figures do not belong together
 * waits, with its readings, for somebody to say that they stand.
 */
export async function keepRun(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  runId: string,
  confirmed: boolean,
): Promise<Kept> {
  const run = await store.models.InstrumentRun.findOne({
    where: { id: runId, jobId: job.id },
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  if (!run || run.parameters.recipe !== undefined) throw notFound('That run');
  if (run.state === 'interrupted')
    throw new Refusal(
      'conflict',
      'The test was interrupted',
      `${run.why.charAt(0).toUpperCase()}${run.why.slice(1)}. ${run.output === 'off' ? 'The output is off.' : 'The output could not be reached: switch it off by hand.'}`,
      { type: 'urn:cellmend:interrupted', current: { runId: run.id, readings: run.points?.length ?? 0 } },
    );
  if (run.state === 'running') throw new Refusal('conflict', 'Still running', 'The test is still running.');
  if ((run.points?.length ?? 0) === 0)
    throw new InputProblem('series', 'The instrument gave no reading.', 'the test', 'A longer test.');
  const pack = normalisePack(profile);
  const p = run.parameters as unknown as RunParameters;
  const allow = {
    managementDisconnected: p.managementDisconnected,
    confirmed: confirmed || p.confirmed,
    gateHeld: true,
  };
  const asked = askedOf(run, pack);
  if (asked && !allow.confirmed) throw new KeptQuestion(asked, run.id);
  if (run.state === 'asked') await run.update({ state: 'done', why: '' }, { transaction: doing.tx });
  return keep(store, doing, job, profile, observationOf(run), allow);
}

/** A test that ends in a question: its readings are kept, and its key stays free for the answer. */
export class KeptQuestion extends Error {
  constructor(
    readonly question: string,
    readonly runId: string,
  ) {
    super(question);
  }
}

/** The readings stay with their run, and wait for a yes. */
export async function keepQuestion(store: Store, { runId, question }: KeptQuestion): Promise<void> {
  await store.models.InstrumentRun.update({ state: 'asked', why: question }, { where: { id: runId } });
}
