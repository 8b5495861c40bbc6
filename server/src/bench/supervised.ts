import {
  ResumeRunSchema,
  StartRunSchema,
  StopRunSchema,
  type SupervisedRun,
  type SupervisedView,
} from '@cellmend/contract/supervised';
import type { RunData } from '@cellmend/contract/bench';
import { isBenchDriver } from '@cellmend/contract/instruments';
import {
  beginControl,
  cannotRun,
  mayRecover,
  mustNotBeDead,
  planOf,
  recipesFor,
  type BenchReading,
  type ControlState,
  type PlanStep,
  type Recipe,
  type RecipeId,
} from '@cellmend/core/bench';
import { InputProblem, judgeAt, type PackProfile } from '@cellmend/core/pack';
import { BENCH_SOURCES } from '@cellmend/devices/drivers';
import type { BenchSource } from '@cellmend/devices/charger';
import { superviseRun } from '@cellmend/devices/supervise';
import { QueryTypes } from 'sequelize';
import type { InstrumentRow, InstrumentRunRow, JobRow, PersonRow } from '../db/rows';
import { announce, announceNow, audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import type { InstrumentRuns } from '../instruments/runs';
import { allowedHost, findInstrument } from '../instruments/service';
import { findJob } from '../jobs/find';
import { namesOf } from '../safety/gate';
import { shown } from './atWork';
import { clipDemoModule } from './simulated';
import { keepRun, moduleOf, readLogged } from './service';

/** A reading a second; of one that runs faster than time, every ten of its seconds, as far as it can be asked so often. */
const EVERY_MS = 1000;
const SCALED_S = 10;
const LEAST_MS = 25;
/** Stretches that the picture of a running run is told in. */
const STRETCHES = 120;
/** Runs that ended are shown beside those that go on for so long, h. */
const SHOWN_H = 24;

/** What was asked of a supervised run, kept with it. */
interface Asked {
  place: string;
  recipe: RecipeId;
  name: string;
  version: number;
  cells: number;
  plan: PlanStep[];
}
const askedOf = (row: InstrumentRunRow): Asked => row.parameters as unknown as Asked;
const isSupervised = (row: InstrumentRunRow): boolean => Array.isArray(row.parameters.plan);

const refuse = (title: string, detail: string, accepted: string): Refusal =>
  new Refusal('notPossible', title, detail, { accepted });

/** The instrument, if it can run such a plan. @throws 422 */
function mustBeAble(instrument: InstrumentRow, plan: readonly PlanStep[]): void {
  const { driver, kind, mostV, mostA } = instrument;
  if (!isBenchDriver(driver))
    throw refuse('Not that one', `${instrument.name} runs no modules.`, 'A charger, supply, load or meter.');
  const against = cannotRun(plan, {
    charges: kind === 'charger' || kind === 'supply',
    discharges: kind === 'charger' || kind === 'load',
    mostV,
    mostA,
  });
  if (against.length > 0)
    throw refuse(
      'Beyond that instrument',
      `${instrument.name}: ${against.join(' ')}`,
      'Another recipe, or an instrument that gives it.',
    );
}

/** Cells that ran empty in the last run of a place that came to its cut-off. */
async function lastDropouts(store: Store, jobId: string, place: string): Promise<number> {
  const row = await store.models.Observation.findOne({
    where: { jobId, topic: 'bench', kind: 'run', subject: place },
    order: [['seq', 'DESC']],
  });
  return (row?.data as RunData | undefined)?.dropoutsAh.length ?? 0;
}

/**
 * Starts a recipe on a module. Everything that can be known is checked before anything is switched on: what the instrument can
 * do, that the module is not run already, and, by the instrument's own first reading, that it is there and not over-discharged.
 * Answers once the output is on.
 */
export async function startSupervised(
  store: Store,
  runs: InstrumentRuns,
  person: PersonRow,
  number: unknown,
  key: string,
  body: unknown,
): Promise<SupervisedRun> {
  const input = StartRunSchema.parse(body);
  const { job, profile } = await findJob(store, number);
  const before = await store.models.InstrumentRun.findOne({ where: { key } });
  if (!before) {
    if (job.closedAt) throw new Refusal('conflict', 'Closed', `Job ${job.number} is closed.`);
    await mustNotBeStopped(store, job);
  }
  const { cells } = moduleOf(profile, input.place);
  const instrument = await findInstrument(store, input.instrumentId);
  allowedHost(instrument.host);
  const recipe = recipesFor(profile, { mostA: instrument.mostA }).find((r) => r.id === input.recipe);
  if (!recipe)
    throw refuse('No such recipe', `This pack has no recipe ${input.recipe}.`, 'One that the page offers.');
  const plan = planOf(recipe, profile, cells, await lastDropouts(store, job.id, input.place));
  mustBeAble(instrument, plan);
  const asked: Asked = {
    place: input.place,
    recipe: recipe.id,
    name: recipe.name,
    version: recipe.version,
    cells,
    plan,
  };
  const mayBegin = (rest: BenchReading): void => {
    mustBeThere(profile, asked, rest);
    mustNotBeDead(profile, recipe, rest.voltageV, cells);
    if (recipe.id === 'recover') mustBeWorthIt(profile, recipe, rest.voltageV, cells, input.recovery);
  };
  const row = await begin(store, runs, {
    job,
    profile,
    person,
    instrument,
    key,
    asked,
    mayBegin,
    from: beginControl(),
  });
  if (!before)
    await store.sequelize.transaction((tx) =>
      audit(
        store,
        { tx, person, after: [] },
        job.id,
        'bench run begun',
        input.place,
        `${recipe.name} on ${instrument.name}`,
      ),
    );
  return viewOne(store, row.id);
}

/** A Stop that stands for the job keeps every output off. @throws 423 */
async function mustNotBeStopped(store: Store, job: JobRow): Promise<void> {
  if (await store.models.Stop.findOne({ where: { jobId: job.id, endedAt: null } }))
    throw new Refusal('closed', 'Stopped', `Job ${job.number} is stopped: nothing is switched on.`, {
      accepted: 'The same once the Stop is ended by whoever may.',
    });
}

function mustBeThere(
  profile: PackProfile,
  { place, plan }: Asked,
  { voltageV, temperatureC }: BenchReading,
): void {
  const { pack, module } = moduleOf(profile, place);
  if (temperatureC === null && plan.some((s) => s.mode !== 'rest'))
    throw new InputProblem(
      'sensor',
      `No temperature at ${place}: its limit of warmth could not be kept.`,
      place,
      'A sensor on the module, read by the instrument.',
    );
  if (!Number.isFinite(voltageV))
    throw new InputProblem('instrument', 'The instrument shows no voltage.', place, 'A reading in volts.');
  if (voltageV < -0.1)
    throw new InputProblem(
      'leads',
      `${voltageV.toFixed(2)} V at ${place}: the leads are the wrong way round.`,
      place,
      'Red on plus, black on minus.',
    );
  const judged = judgeAt(pack, { kind: 'module', index: module.index }, voltageV);
  if (judged.state === 'impossible')
    throw new InputProblem(
      'leads',
      `${judged.says} Is another module on the leads?`,
      place,
      'The module of that place.',
    );
  if (voltageV < 0.05)
    throw new InputProblem(
      'leads',
      `Nothing is on the leads of ${place}: ${voltageV.toFixed(2)} V.`,
      place,
      'A module, connected.',
    );
}

function mustBeWorthIt(
  profile: PackProfile,
  recipe: Recipe,
  restV: number,
  cells: number,
  answers: ReturnType<typeof StartRunSchema.parse>['recovery'],
): void {
  const { may, against } = mayRecover(profile, {
    restV,
    cells,
    ...(answers ?? {
      emptyDays: null,
      ageYears: null,
      swollen: null,
      leaked: null,
      outdoors: false,
      somebodyStays: false,
    }),
  });
  if (!may)
    throw new InputProblem(
      'scrap',
      `Scrap it. ${against.join(' ')}`,
      recipe.name,
      'Scrap is the usual answer.',
    );
}

interface Begin {
  job: JobRow;
  profile: PackProfile;
  person: PersonRow;
  instrument: InstrumentRow;
  key: string;
  asked: Asked;
  from: ControlState;
  continues?: string;
  mayBegin: (rest: BenchReading) => void;
}

/** Claims the instrument and switches on; the run goes on when this has answered. */
async function begin(
  store: Store,
  runs: InstrumentRuns,
  { job, profile, person, instrument, key, asked, from, continues, mayBegin }: Begin,
): Promise<InstrumentRunRow> {
  const driver = instrument.driver;
  if (!isBenchDriver(driver))
    throw refuse('Not that one', `${instrument.name} runs no modules.`, 'A charger.');
  const open = (): Promise<BenchSource> => BENCH_SOURCES[driver](instrument.host, instrument.port);
  let begun: () => void = () => undefined;
  const on = new Promise<'on'>((resolve) => (begun = () => resolve('on')));
  const over = runs.run({
    key,
    job,
    person,
    instrument,
    parameters: { ...asked },
    ...(continues ? { continues } : {}),
    // From here on the instrument is this run's alone, and a Stop finds it: one that came just before is seen here.
    open: async () => {
      await mustNotBeStopped(store, job);
      if (instrument.simulated) await clipDemoModule(instrument, profile, asked.place);
      return open();
    },
    drive: async (device, { runId, signal }) => {
      let seq = 0;
      return superviseRun(device, open, {
        plan: asked.plan,
        from,
        timeScale: instrument.timeScale,
        everyMs: Math.min(EVERY_MS, Math.max(LEAST_MS, (1000 * SCALED_S) / instrument.timeScale)),
        signal,
        mayBegin,
        onBegun: () => {
          begun();
          void announceNow(store, { topic: 'bench', job: job.number });
        },
        onReading: async (reading, decided) => {
          await keepReading(store, runId, seq++, reading, decided.state);
          void announceNow(store, {
            topic: 'bench-reading',
            job: job.number,
            run: {
              id: runId,
              reading,
              ...shown(asked.plan, decided.state),
              ends: endsNow(asked.plan, decided.state),
            },
          });
        },
      });
    },
  });
  const ended = over.then(async (row) => {
    if (row.state !== 'running') await finishRun(store, row).catch(() => undefined);
    return row;
  });
  // Whoever asked hears of what went wrong before the output was on; afterwards it is in the record.
  ended.catch(() => undefined);
  await Promise.race([on, ended]);
  return (await store.models.InstrumentRun.findOne({ where: { key } }))!;
}

/** One reading and where the run stands, in one statement: neither is there without the other. */
async function keepReading(
  store: Store,
  runId: string,
  seq: number,
  { voltageV, currentA, temperatureC }: BenchReading,
  state: ControlState,
): Promise<void> {
  await store.sequelize.query(
    `WITH kept AS (INSERT INTO run_log (run_id, seq, time_s, step, voltage_v, current_a, temperature_c) VALUES ($1, $2, $3, $4, $5, $6, $7))
     UPDATE instrument_runs SET control = $8 WHERE id = $1`,
    { bind: [runId, seq, state.timeS, state.step, voltageV, currentA, temperatureC, JSON.stringify(state)] },
  );
}

/** The runs that one goes on from, oldest first, with itself. */
async function chainOf(store: Store, row: InstrumentRunRow): Promise<InstrumentRunRow[]> {
  const chain = [row];
  while (chain[0]!.continues)
    chain.unshift((await store.models.InstrumentRun.findByPk(chain[0]!.continues))!);
  return chain;
}

interface Logged {
  time_s: number;
  step: number;
  voltage_v: number;
  current_a: number;
  temperature_c: number | null;
}

/**
 * A run that came to its end becomes a run of the record, as a logged file does: analysed in a thread, kept with its readings,
 * all or nothing. One that was interrupted waits to go on, or to be left as it is.
 */
export async function finishRun(store: Store, row: InstrumentRunRow, given = false): Promise<void> {
  if (row.keptSha256 || (row.state !== 'done' && !given)) return;
  const chain = await chainOf(store, row);
  const ids = chain.map((r) => r.id);
  const rows = await store.sequelize.query<Logged>(
    `SELECT time_s, step, voltage_v, current_a, temperature_c FROM run_log l JOIN unnest(array[:ids]::uuid[]) WITH ORDINALITY AS c(id, n) ON c.id = l.run_id ORDER BY c.n, l.seq`,
    { replacements: { ids }, type: QueryTypes.SELECT },
  );
  const asked = askedOf(row);
  const job = (await store.models.Job.findByPk(row.jobId))!;
  const person = (await store.models.Person.findByPk(row.personId))!;
  const found = await findJob(store, job.number);
  const instrument = await store.models.Instrument.findByPk(row.instrumentId);
  if (rows.length < 2) return close(store, person, chain, 'none');
  const text = [
    'time_s,voltage_V,current_A,temp_C,step',
    ...rows.map(
      (r) =>
        `${r.time_s.toFixed(2)},${r.voltage_v.toFixed(4)},${r.current_a.toFixed(4)},${r.temperature_c?.toFixed(2) ?? ''},${asked.plan[r.step]?.name ?? ''}`,
    ),
  ].join('\n');
  const cutoffV =
    asked.plan.find((s) => s.mode === 'discharge')?.limits.leastV ?? asked.plan[0]!.limits.leastV;
  const read = await readLogged(
    found.profile,
    {
      place: asked.place,
      recipe: asked.recipe,
      cutoffV,
      name: instrument?.name ?? 'an instrument',
      atCutoff: row.control?.emptied === true,
    },
    text,
    'bench',
    { person: person.id },
  );
  const breaks = chain
    .slice(0, -1)
    .map((r) => r.why)
    .filter(Boolean);
  const data: RunData = {
    ...read.data,
    version: asked.version,
    says: [
      ...(instrument?.simulated ? ['By a simulated instrument: of no real module.'] : []),
      ...(row.why && row.state !== 'done' ? [`Ended before its end: ${row.why}.`] : []),
      ...(breaks.length > 0
        ? [`Interrupted ${breaks.length === 1 ? 'once' : `${breaks.length} times`}: ${breaks.join('; ')}.`]
        : []),
      ...read.data.says,
    ].slice(0, 60),
  };
  const after: (() => void)[] = [];
  await store.sequelize.transaction(async (tx) => {
    const doing: Doing = { tx, person, after };
    const again = await store.models.InstrumentRun.findByPk(row.id, {
      transaction: tx,
      lock: tx.LOCK.UPDATE,
    });
    if (!again || again.keptSha256) return;
    await store.sequelize.query(
      'INSERT INTO run_files (sha256, bytes) VALUES ($1, $2) ON CONFLICT (sha256) DO NOTHING',
      { bind: [data.sha256, read.bytes], transaction: tx },
    );
    await keepRun(store, doing, found, asked.place, row.endedAt ?? new Date(), data);
    await store.models.InstrumentRun.update(
      { keptSha256: data.sha256 },
      { where: { id: ids }, transaction: tx },
    );
    await store.sequelize.query('DELETE FROM run_log WHERE run_id IN (:ids)', {
      replacements: { ids },
      transaction: tx,
    });
  });
  for (const start of after) start();
}
/** Nothing was read: there is nothing to keep but that it was tried. */
async function close(store: Store, person: PersonRow, chain: InstrumentRunRow[], as: string): Promise<void> {
  await store.sequelize.transaction(async (tx) => {
    const last = chain.at(-1)!;
    await store.models.InstrumentRun.update(
      { keptSha256: as },
      { where: { id: chain.map((r) => r.id) }, transaction: tx },
    );
    await store.sequelize.query('DELETE FROM run_log WHERE run_id IN (:ids)', {
      replacements: { ids: chain.map((r) => r.id) },
      transaction: tx,
    });
    const { place } = askedOf(last);
    await audit(store, { tx, person, after: [] }, last.jobId, 'bench run without readings', place, last.why);
  });
}

/** Runs that came to their end in a process that was killed before it had written them down. */
export async function finishLeft(store: Store): Promise<void> {
  const left = await store.models.InstrumentRun.findAll({ where: { state: 'done', keptSha256: null } });
  for (const row of left) if (isSupervised(row)) await finishRun(store, row);
}

async function supervisedOf(store: Store, jobId: string, id: string): Promise<InstrumentRunRow> {
  const row = await store.models.InstrumentRun.findOne({ where: { id, jobId } });
  if (!row || !isSupervised(row)) throw notFound('That run');
  return row;
}

/** Takes the output off; the run waits to go on. */
export async function stopSupervised(
  store: Store,
  runs: InstrumentRuns,
  person: PersonRow,
  number: unknown,
  id: string,
  body: unknown,
): Promise<SupervisedRun> {
  const { reason } = StopRunSchema.parse(body);
  const { job } = await findJob(store, number);
  const row = await supervisedOf(store, job.id, id);
  if (row.state === 'running')
    await runs.stopRun(row.id, `stopped by ${person.name}${reason ? `: ${reason}` : ''}`);
  return viewOne(store, id);
}

export async function resumeSupervised(
  store: Store,
  runs: InstrumentRuns,
  person: PersonRow,
  number: unknown,
  id: string,
  key: string,
  body: unknown,
): Promise<SupervisedRun> {
  const input = ResumeRunSchema.parse(body);
  const { job, profile } = await findJob(store, number);
  const known = await store.models.InstrumentRun.findOne({ where: { key } });
  if (known) return viewOne(store, known.id);
  const row = await supervisedOf(store, job.id, id);
  if (row.state !== 'interrupted' || row.keptSha256)
    throw new Refusal('conflict', 'Not interrupted', 'That run is not waiting to go on.');
  await mustNotBeStopped(store, job);
  const instrument = await findInstrument(store, input.instrumentId);
  allowedHost(instrument.host);
  const asked = askedOf(row);
  const from = row.control ?? beginControl();
  mustBeAble(instrument, asked.plan.slice(from.step));
  const next = await begin(store, runs, {
    job,
    profile,
    person,
    instrument,
    key,
    asked,
    from,
    continues: row.id,
    mayBegin: (rest) => mustBeThere(profile, asked, rest),
  });
  await store.sequelize.transaction((tx) =>
    audit(store, { tx, person, after: [] }, job.id, 'bench run goes on', asked.place, instrument.name),
  );
  return viewOne(store, next.id);
}

/** An interrupted run is left at what was logged: a lower bound where its cut-off was not reached. */
export async function endSupervised(
  store: Store,
  number: unknown,
  id: string,
  body: unknown,
): Promise<SupervisedRun> {
  StopRunSchema.parse(body);
  const { job } = await findJob(store, number);
  const row = await supervisedOf(store, job.id, id);
  if (row.state === 'running') throw new Refusal('conflict', 'Still running', 'Take its output off first.');
  if (await store.models.InstrumentRun.findOne({ where: { continues: row.id } }))
    throw new Refusal('conflict', 'Goes on', 'That run was taken up again.');
  await finishRun(store, row, true);
  await store.sequelize.transaction((tx) => announce(store, tx, 'bench', job.number));
  return viewOne(store, id);
}

/** What ends a step, in words. */
function endsOf(step: PlanStep): string {
  const l = step.limits;
  const time = step.lastsS === null ? '' : `${(step.lastsS / 3600).toFixed(1)} h`;
  const ends =
    step.mode === 'discharge'
      ? [`${l.leastV.toFixed(2)} V`]
      : step.mode === 'rest'
        ? [time]
        : [
            step.then['minus delta V'] === 'next' && l.minusDeltaV !== null
              ? `−ΔV ${(l.minusDeltaV * 1000).toFixed(0)} mV`
              : '',
            step.then.warming === 'next' && l.mostCPerMin !== null ? `${l.mostCPerMin} °C a minute` : '',
            step.then.charge === 'next' ? `${l.mostAh.toFixed(1)} A·h` : '',
            step.tapersToA === null ? time : `${step.tapersToA.toFixed(2)} A at ${l.mostV.toFixed(2)} V`,
          ];
  return ends.filter(Boolean).join(', ');
}

const endsNow = (plan: readonly PlanStep[], { step }: ControlState): string =>
  step < plan.length ? endsOf(plan[step]!) : '';

export async function viewSupervised(store: Store, number: unknown): Promise<SupervisedView> {
  const { job } = await findJob(store, number);
  const rows = await store.sequelize.query<{ id: string }>(
    `SELECT r.id FROM instrument_runs r WHERE r.job_id = :job AND jsonb_exists(r.parameters, 'plan')
       AND NOT EXISTS (SELECT 1 FROM instrument_runs n WHERE n.continues = r.id)
       AND (r.state = 'running' OR r.output <> 'off' OR (r.kept_sha256 IS NULL) OR r.ended_at > now() - interval '${SHOWN_H} hours')
     ORDER BY r.state = 'running' DESC, r.started_at DESC LIMIT 60`,
    { replacements: { job: job.id }, type: QueryTypes.SELECT },
  );
  return Promise.all(rows.map((r) => viewOne(store, r.id)));
}

async function viewOne(store: Store, id: string): Promise<SupervisedRun> {
  const row = (await store.models.InstrumentRun.findByPk(id))!;
  const chain = await chainOf(store, row);
  const asked = askedOf(row);
  const instrument = await store.models.Instrument.findByPk(row.instrumentId);
  const names = await namesOf(store, [row.personId]);
  const state = row.control ?? chain.at(-2)?.control ?? beginControl();
  const course = await store.sequelize.query<{ t: number; low: number; high: number }>(
    `SELECT avg(time_s) AS t, min(voltage_v) AS low, max(voltage_v) AS high FROM run_log WHERE run_id IN (:ids)
     GROUP BY width_bucket(time_s, 0, :end, ${STRETCHES}) ORDER BY 1`,
    { replacements: { ids: chain.map((r) => r.id), end: Math.max(1, state.timeS) }, type: QueryTypes.SELECT },
  );
  return {
    id: row.id,
    place: asked.place,
    recipe: asked.recipe,
    recipeName: asked.name,
    instrument: instrument?.name ?? 'an instrument',
    instrumentId: row.instrumentId,
    simulated: instrument?.simulated ?? false,
    state: row.keptSha256 && row.state === 'interrupted' ? 'done' : row.state,
    output: row.output,
    why: row.why,
    by: names[row.personId] ?? 'someone',
    startedAt: chain[0]!.startedAt.toISOString(),
    endedAt: row.endedAt?.toISOString() ?? null,
    steps: asked.plan.map((s) => s.name),
    ends: endsNow(asked.plan, state),
    reading: state.last,
    ...shown(asked.plan, state),
    timeScale: instrument?.timeScale ?? 1,
    course: course.map((c) => [c.t, c.low, c.high]),
  };
}
