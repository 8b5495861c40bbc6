import {
  ResumeRunSchema,
  StartRunSchema,
  StopRunSchema,
  type RecoveryAnswers,
  type SupervisedRun,
} from '@cellmend/contract/supervised';
import {
  answersOf,
  beginControl,
  mustNotBeDead,
  planOf,
  recipesFor,
  type BenchReading,
  type ControlState,
  type Recipe,
  type RecipeId,
} from '@cellmend/core/bench';
import type { PackProfile } from '@cellmend/core/pack';
import { openAny, openSource } from '@cellmend/devices/drivers';
import type { BenchSource } from '@cellmend/devices/charger';
import { superviseRun } from '@cellmend/devices/supervise';
import type { InstrumentRow, InstrumentRunRow, JobRow, PersonRow } from '../db/rows';
import { announce, announceNow, audit, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import type { InstrumentRuns } from '../instruments/runs';
import { allowedHost, findInstrument } from '../instruments/service';
import { findJob } from '../jobs/find';
import { askedOf, isSupervised, isThrough, stateOf, type Asked } from './asked';
import { shown } from './atWork';
import { ANSWERED, finishOrSay, finishRun } from './finish';
import { lastDropouts, mustBeAble, mustBeThere, mustBeWorthIt, mustNotBeStopped, refuse } from './mayRun';
import { clipDemoModule } from './simulated';
import { endsNow, viewOne } from './supervisedView';
import { unitOf } from './service';

/** A reading a second; of one that runs faster than time, every ten of its seconds, as far as it can be asked so often. */
const EVERY_MS = 1000;
const SCALED_S = 10;
const LEAST_MS = 25;

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
  return startRecipe(store, runs, person, number, key, { ...input, on: 'module' });
}

export interface Start {
  place: string;
  recipe: RecipeId;
  on: Recipe['on'];
  instrumentId: string;
  recovery: RecoveryAnswers | null;
  partner?: string;
  /** Looks at the rest voltage once more. @throws InputProblem */
  mayBegin?: (rest: BenchReading, found: { profile: PackProfile; cells: number }) => void;
}
/** Starts whatever a recipe runs on; the ways in above and beside this one say who may ask for what. */
export async function startRecipe(
  store: Store,
  runs: InstrumentRuns,
  person: PersonRow,
  number: unknown,
  key: string,
  input: Start,
): Promise<SupervisedRun> {
  const { job, profile } = await findJob(store, number);
  const before = await store.models.InstrumentRun.findOne({ where: { key } });
  if (!before) {
    if (job.closedAt) throw new Refusal('conflict', 'Closed', `Job ${job.number} is closed.`);
    await mustNotBeStopped(store, job);
  }
  const { cells } = unitOf(profile, input.place);
  const instrument = await findInstrument(store, input.instrumentId);
  allowedHost(instrument.host);
  const recipe = recipesFor(profile, instrument).find((r) => r.id === input.recipe && r.on === input.on);
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
    ...(input.partner ? { partner: input.partner } : {}),
  };
  const mayBegin = (rest: BenchReading): void => {
    mustBeThere(profile, asked, rest);
    if (recipe.id !== 'wake') mustNotBeDead(profile, recipe, rest.voltageV, cells);
    if (recipe.id === 'recover') mustBeWorthIt(profile, recipe, rest.voltageV, cells, input.recovery);
    input.mayBegin?.(rest, { profile, cells });
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
  const reader = instrument.readsWith ? await readerOf(store, instrument) : null;
  if (reader) allowedHost(reader.host);
  const open = (): Promise<BenchSource> => openSource(instrument, reader);
  let begun: () => void = () => undefined;
  const on = new Promise<'on'>((resolve) => (begun = () => resolve('on')));
  const over = runs.run({
    key,
    job,
    person,
    instrument,
    parameters: { ...asked },
    ...(continues ? { continues } : {}),
    reader,
    // From here on the instrument is this run's alone, and a Stop finds it: one that came just before is seen here.
    open: async () => {
      await mustNotBeStopped(store, job);
      if (instrument.simulated) await clipDemoModule(instrument, job.number, profile, asked.place);
      return open();
    },
    drive: async (device, { runId, signal }) => {
      let seq = 0;
      const end = await superviseRun(
        device,
        () => openAny(instrument.driver, instrument.host, instrument.port),
        {
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
        },
      );
      // The other module of a transfer comes off before anything is written of this one.
      if (asked.partner) runs.endHere(asked.partner, `the transfer with ${asked.place} is over`);
      return end;
    },
  });
  const ended = over.then(async (row) => {
    if (row.state === 'running') return row;
    await finishOrSay(store, row, asked.partner !== undefined || row.why === ANSWERED);
    return row;
  });
  // Whoever asked hears of what went wrong before the output was on; afterwards it is in the record.
  ended.catch(() => undefined);
  await Promise.race([on, ended]);
  return (await store.models.InstrumentRun.findOne({ where: { key } }))!;
}

/** What reads for an instrument. @throws 422 where it was taken out of use */
async function readerOf(store: Store, { name, readsWith }: InstrumentRow): Promise<InstrumentRow> {
  const row = await store.models.Instrument.findOne({ where: { id: readsWith!, retiredAt: null } });
  if (!row)
    throw refuse(
      'Nothing reads it',
      `What read for ${name} is out of use.`,
      'The instrument entered anew, with what reads for it.',
    );
  return row;
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
    `WITH kept AS (INSERT INTO run_log (run_id, seq, time_s, step, voltage_v, current_a, temperature_c) VALUES ($1, $2, $3, $4, $5, $6, $7)),
     drawn AS (INSERT INTO run_minutes (run_id, minute, low, high) VALUES ($1, floor($3::float8 / 60), $5, $5)
       ON CONFLICT (run_id, minute) DO UPDATE SET low = least(run_minutes.low, $5), high = greatest(run_minutes.high, $5))
     UPDATE instrument_runs SET control = $8 WHERE id = $1`,
    { bind: [runId, seq, state.timeS, state.step, voltageV, currentA, temperatureC, JSON.stringify(state)] },
  );
}

export async function supervisedOf(store: Store, jobId: string, id: string): Promise<InstrumentRunRow> {
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

/** What only somebody may begin who answered for it; a hold that nothing flows in goes on. */
const asksAgain = ({ recipe, plan }: Asked, step: number): boolean =>
  recipe === 'wake' || (recipe === 'recover' && plan[step]?.mode !== 'rest');

/** A run planned before voltages had to answer the current goes on under that rule as well. */
const withAnswers = (asked: Asked, profile: PackProfile): Asked => ({
  ...asked,
  plan: asked.plan.map((step) => ({
    ...step,
    answers: step.answers ?? answersOf(step.currentA, asked.recipe, profile, asked.cells),
  })),
});

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
  if (askedOf(row).partner)
    throw refuse('Not alone', 'One of two modules: each is left at what was logged.', 'A new transfer.');
  if (row.state !== 'interrupted' || row.keptSha256 || isThrough(row))
    throw new Refusal('conflict', 'Not interrupted', 'That run is not waiting to go on.');
  await mustNotBeStopped(store, job);
  const instrument = await findInstrument(store, input.instrumentId);
  allowedHost(instrument.host);
  const asked = withAnswers(askedOf(row), profile);
  const from = stateOf(row);
  if (asksAgain(asked, from.step))
    throw refuse(
      'Its questions are asked again',
      'A charge of something that stood empty is not taken up where it was left.',
      'The same begun anew, with what is known of it now.',
    );
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
