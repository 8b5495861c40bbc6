import { InputProblem } from '@cellmend/core/pack';
import type { SeriesPoint } from '@cellmend/core/insulation';
import { openAny } from '@cellmend/devices/drivers';
import { makeSure, type Switched } from '@cellmend/devices/instrument';
import { randomUUID } from 'node:crypto';
import { Op, QueryTypes, UniqueConstraintError } from 'sequelize';
import pg from 'pg';
import type { InstrumentRow, InstrumentRunRow, JobRow, PersonRow } from '../db/rows';
import { announceNow, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { claims, keepAsking } from './claim';

/** A server that stops waits this long for its runs to be in the record, ms. */
const RECORD_WITHIN_MS = 3000;
/** An end that could not be written is tried again after so long, ms. */
const AGAIN_MS = 500;
/** An output that did not say in time that it is off is told so again for so long, ms, and every so often. */
const OFF_ASKED_FOR_MS = 60_000;
const OFF_ASKED_EVERY_MS = 2000;
/** A stop waits this long for every output of its job to be off, in whatever process drives it. */
const STOP_WITHIN_MS = 1000;

/** What became of a run, whatever it was. */
export interface DriveEnd {
  /** Empty where it came to its end. */
  why: string;
  output: 'off' | 'unknown';
  points?: SeriesPoint[];
}
/** What a run is given while it drives its instrument. */
export interface Driving {
  runId: string;
  signal: AbortSignal;
}
export interface RunAsk<D extends Switched = Switched> {
  key: string;
  job: JobRow;
  person: PersonRow;
  instrument: InstrumentRow;
  /** What reads for it: no other run reads with it meanwhile. */
  reader?: InstrumentRow | null;
  /** What was asked, kept with the run: how its readings become an observation. */
  parameters: Record<string, unknown>;
  /** The interrupted run that this one goes on with. */
  continues?: string;
  open: () => Promise<D>;
  /** The only thing that switches the output on; it is off, or told as unknown, when this is over. */
  drive: (device: D, driving: Driving) => Promise<DriveEnd>;
  /** Somebody waits for it: it ends with their page. */
  signal?: AbortSignal;
}
export interface OutputTold {
  instrument: string;
  output: 'off' | 'unknown';
}
interface Active {
  runId: string;
  key: string;
  jobId: string;
  jobNumber: number;
  instrument: string;
  stop: AbortController;
  /** What becomes of the output, told before anything is written of it; null while nothing can be on. */
  output: Promise<'off' | 'unknown'> | null;
  /** The run is in the record. */
  done: Promise<unknown>;
}

/**
 * Every run of an instrument by this server process. An instrument is driven by one job at a time: whoever drives it
 * holds an advisory lock in PostgreSQL, which ends with the process. What a run did is in `instrument_runs`.
 */
export class InstrumentRuns {
  private readonly active = new Map<string, Active>();

  constructor(
    private readonly store: Store,
    private readonly databaseUrl: string,
  ) {}

  /** Another process, or this one, says that a job is stopped. */
  heard(message: { topic?: string; jobId?: string; runId?: string; why?: string }): void {
    if (message.topic === 'stop-outputs' && message.jobId)
      void this.abort((r) => r.jobId === message.jobId, 'Stop was pressed');
    if (message.topic === 'stop-run' && message.runId)
      void this.abort((r) => r.runId === message.runId, message.why ?? 'stopped');
  }
  private abort(which: (run: Active) => boolean, why: string): Promise<unknown> {
    const runs = [...this.active.values()].filter(which);
    for (const r of runs) r.stop.abort(why);
    return Promise.all(runs.map((r) => r.done));
  }

  /** Ends the run of a key that this process drives, by what is in memory alone. */
  endHere(key: string, why: string): void {
    void this.abort((r) => r.key === key, why);
  }

  /** Ends one run, in whatever process drives it, and waits a moment for it to be off. */
  async stopRun(runId: string, why: string): Promise<void> {
    const here = this.abort((r) => r.runId === runId, why);
    await Promise.race([
      Promise.all([here, announceNow(this.store, { topic: 'stop-run', runId, why })]),
      new Promise((r) => setTimeout(r, STOP_WITHIN_MS).unref()),
    ]);
  }

  /** Takes off what this process drives for a job, by what is in memory alone, and tells what became of it. */
  cut(jobNumber: number, why: string): Promise<OutputTold[]> {
    const runs = [...this.active.values()].filter((r) => r.jobNumber === jobNumber);
    for (const r of runs) r.stop.abort(why);
    return Promise.all(
      runs.map(async ({ instrument, output }) => ({ instrument, output: (await output) ?? 'off' })),
    );
  }

  /**
   * Takes every output of a job off, here and in the other processes, and says which could not be reached. The database
   * may be away: what this process drives comes off all the same.
   */
  async stopJob(jobId: string): Promise<OutputTold[]> {
    const here = this.abort((r) => r.jobId === jobId, 'Stop was pressed');
    const tell = announceNow(this.store, { topic: 'stop-outputs', jobId });
    const limit = new Promise((r) => setTimeout(r, STOP_WITHIN_MS).unref());
    const began = new Date(Date.now() - 500);
    await Promise.race([Promise.all([here, tell]), limit]);
    const until = performance.now() + STOP_WITHIN_MS;
    for (;;) {
      const rows = await this.store.models.InstrumentRun.findAll({
        where: {
          jobId,
          [Op.or]: [{ output: ['on', 'unknown'] }, { endedAt: { [Op.gte]: began } }],
        },
      });
      if (!rows.some((r) => r.output === 'on') || performance.now() > until) {
        const names = new Map(
          (
            await this.store.models.Instrument.findAll({ where: { id: rows.map((r) => r.instrumentId) } })
          ).map((i) => [i.id, i.name]),
        );
        const worst = new Map<string, 'off' | 'unknown'>();
        for (const r of rows) {
          const name = names.get(r.instrumentId) ?? 'an instrument';
          if (r.output !== 'off' || !worst.has(name)) worst.set(name, r.output === 'off' ? 'off' : 'unknown');
        }
        return [...worst].map(([instrument, output]) => ({ instrument, output }));
      }
      await new Promise((r) => setTimeout(r, 80));
    }
  }

  /** Outputs off, then nothing more runs here. A database that hangs keeps nobody waiting. */
  async close(): Promise<void> {
    this.closed = true;
    const outputs = [...this.active.values()].map((r) => r.output);
    const kept = this.abort(() => true, 'the server stopped');
    await Promise.all(outputs);
    await Promise.race([kept, new Promise((r) => setTimeout(r, RECORD_WITHIN_MS).unref())]);
  }

  /**
   * Runs a test, or joins the one that the same key began. The key is claimed before anything is switched on.
   * @throws 409 where the key belongs to something else, or another job drives the instrument.
   */
  async run<D extends Switched>(ask: RunAsk<D>): Promise<InstrumentRunRow> {
    const id = randomUUID();
    const stop = new AbortController();
    const gone = (): void => stop.abort('the page was closed');
    if (ask.signal?.aborted) gone();
    ask.signal?.addEventListener('abort', gone, { once: true });
    const live: Active = {
      runId: id,
      key: ask.key,
      jobId: ask.job.id,
      jobNumber: ask.job.number,
      instrument: ask.instrument.name,
      stop,
      output: null,
      done: Promise.resolve(),
    };
    // Known before it is claimed: a Stop at any moment from here on keeps the output off.
    this.active.set(id, live);
    try {
      const done = this.claim(id, ask, live);
      live.done = done.catch(() => undefined);
      return await done;
    } finally {
      this.active.delete(id);
      ask.signal?.removeEventListener('abort', gone);
    }
  }

  private async claim<D extends Switched>(
    id: string,
    ask: RunAsk<D>,
    live: Active,
  ): Promise<InstrumentRunRow> {
    const { store } = this;
    const inserted = store.sequelize.query<{ id: string }>(
      `INSERT INTO instrument_runs (id, key, instrument_id, job_id, person_id, parameters, continues, state, output)
       VALUES (:id, :key, :instrument, :job, :person, :parameters, :continues, 'running', 'off')
       ON CONFLICT (key) DO NOTHING RETURNING id`,
      {
        replacements: {
          id,
          key: ask.key,
          instrument: ask.instrument.id,
          job: ask.job.id,
          person: ask.person.id,
          parameters: JSON.stringify(ask.parameters),
          continues: ask.continues ?? null,
        },
        type: QueryTypes.SELECT,
      },
    );
    const [claimed] = await inserted.catch(async (e: unknown) => {
      // Pressed twice at the same moment, the other of the two may meet the rule of one run a module before that of one run a key.
      if (
        e instanceof UniqueConstraintError &&
        (await store.models.InstrumentRun.findOne({ where: { key: ask.key } }))
      )
        return [];
      if (e instanceof UniqueConstraintError)
        throw new Refusal(
          'conflict',
          'Runs already',
          'This module is run already, or this run goes on already.',
          {
            accepted: 'One run of a module at a time.',
          },
        );
      throw e;
    });
    return claimed ? this.drive(id, ask, live) : this.join(ask);
  }

  /** Writes how a run ended. While the database is away it is tried again until it is back, or this process ends. */
  private async write(
    id: string,
    jobNumber: number,
    change: Partial<InstrumentRunRow>,
  ): Promise<InstrumentRunRow> {
    try {
      const row = (await this.store.models.InstrumentRun.findByPk(id))!;
      await row.update(change);
      if (row.state === 'interrupted') {
        const instrument = await this.store.models.Instrument.findByPk(row.instrumentId);
        await this.sayInterrupted(row, instrument?.name ?? 'an instrument');
      }
      await announceNow(this.store, { topic: 'instruments', job: jobNumber });
      return row;
    } catch (error) {
      if (!this.closed)
        setTimeout(() => {
          void this.write(id, jobNumber, change).then(
            (row) => this.onLate(row),
            () => undefined,
          );
        }, AGAIN_MS).unref();
      throw error;
    }
  }
  private closed = false;
  /** Hears of a run whose end could be written only later. */
  onLate: (row: InstrumentRunRow) => void = () => undefined;

  private async join(ask: Omit<RunAsk, 'open' | 'drive'>): Promise<InstrumentRunRow> {
    for (;;) {
      const row = (await this.store.models.InstrumentRun.findOne({ where: { key: ask.key } }))!;
      if (
        row.personId !== ask.person.id ||
        row.jobId !== ask.job.id ||
        row.instrumentId !== ask.instrument.id
      )
        throw new Refusal('conflict', 'Key used already', 'This idempotency key belongs to another entry.', {
          accepted: 'A new key for a new test.',
        });
      // Nobody waits for a run that lasts days.
      if (row.state !== 'running' || !ask.signal) return row;
      if (ask.signal?.aborted) throw new Refusal('stopped', 'Gone', 'The page was closed.');
      await new Promise((r) => setTimeout(r, 200));
    }
  }

  private async drive<D extends Switched>(
    id: string,
    ask: RunAsk<D>,
    live: Active,
  ): Promise<InstrumentRunRow> {
    const { instrument, job } = ask;
    const { stop } = live;
    const lock = new pg.Client({ connectionString: this.databaseUrl });
    const { InstrumentRun } = this.store.models;
    const end = (change: Partial<InstrumentRunRow>): Promise<InstrumentRunRow> =>
      this.write(id, job.number, { endedAt: new Date(), ...change });
    // Losing the lock's connection means that somebody else may take the instrument: the run ends.
    lock.on('error', () => stop.abort('the database was lost'));
    try {
      await lock.connect();
      if (!(await claims(lock, instrument.id))) {
        const other = await InstrumentRun.findOne({
          where: { instrumentId: instrument.id, state: 'running', id: { [Op.ne]: id } },
        });
        const busy = other && (await this.store.models.Job.findByPk(other.jobId));
        await InstrumentRun.destroy({ where: { id } });
        throw new Refusal(
          'conflict',
          'In use',
          `${instrument.name} is driven by ${busy ? `job ${busy.number}` : 'another job'} now.`,
          { accepted: 'The same test when it is free, or another instrument.' },
        );
      }
      await this.mustBeKnown(id, instrument);
      const { reader } = ask;
      if (reader) {
        if (!(await claims(lock, reader.id))) {
          await InstrumentRun.destroy({ where: { id } });
          throw new Refusal('conflict', 'In use', `${reader.name} reads for another run now.`, {
            accepted: 'The same when it is free, or another that reads for it.',
          });
        }
      }
      let device;
      try {
        device = await ask.open();
      } catch (e) {
        // Nothing was switched on: the key may be used again.
        await InstrumentRun.destroy({ where: { id } });
        throw e;
      }
      await instrument.update({ lastSeen: new Date(), identity: device.identity.slice(0, 200) });
      await InstrumentRun.update({ output: 'on' }, { where: { id } });
      keepAsking(lock, stop);
      let result: DriveEnd;
      try {
        const test = ask.drive(device, { runId: id, signal: stop.signal });
        live.output = test.then(
          (r) => r.output,
          (e: unknown) => (e instanceof InputProblem ? 'off' : 'unknown'),
        );
        result = await test;
      } catch (e) {
        device.close();
        if (e instanceof InputProblem) {
          await InstrumentRun.destroy({ where: { id } });
          throw e;
        }
        void this.keepSwitchingOff(id, job.number, instrument);
        await end({ state: 'interrupted', output: 'unknown', why: String(e) });
        throw e;
      }
      if (result.output === 'unknown') void this.keepSwitchingOff(id, job.number, instrument);
      return await end({
        state: result.why === '' ? 'done' : 'interrupted',
        why: result.why,
        output: result.output,
        ...(result.points ? { points: result.points } : {}),
      });
    } finally {
      await lock.end().catch(() => undefined);
    }
  }

  /** An output that may be on already is looked at before it is used. @throws 409; the claim is given back */
  private async mustBeKnown(id: string, instrument: InstrumentRow): Promise<void> {
    const { Instrument, InstrumentRun } = this.store.models;
    const now = await Instrument.findByPk(instrument.id);
    const left = await InstrumentRun.findOne({
      where: { instrumentId: instrument.id, output: 'unknown', id: { [Op.ne]: id } },
    });
    if (!now?.unknownSince && !left) return;
    await InstrumentRun.destroy({ where: { id } });
    throw new Refusal(
      'conflict',
      'Look first',
      `Whether the output of ${instrument.name} is off is not known: ${now?.unknownWhy || left?.why || 'it could not be reached'}.`,
      { accepted: 'The same once somebody has looked and said so under Instruments.' },
    );
  }

  /**
   * Runs that a killed process left behind, or whose start was cut short: nobody holds their instrument, so it is switched off
   * from here. One that does not answer is told as unknown until somebody has looked.
   * @param olderThanMs runs that began since may still be claiming their instrument
   */
  async recover(olderThanMs = 0): Promise<void> {
    const left = await this.store.models.InstrumentRun.findAll({
      where: {
        state: 'running',
        ...(olderThanMs > 0 ? { startedAt: { [Op.lt]: new Date(Date.now() - olderThanMs) } } : {}),
      },
    });
    for (const run of left) {
      if (this.active.has(run.id)) continue;
      const lock = new pg.Client({ connectionString: this.databaseUrl });
      lock.on('error', () => undefined);
      try {
        await lock.connect();
        if (!(await claims(lock, run.instrumentId))) continue;
        const instrument = await this.store.models.Instrument.findByPk(run.instrumentId);
        const output = instrument ? await this.switchOff(instrument) : 'unknown';
        const wasOn = run.output !== 'off';
        await run.update({
          state: 'interrupted',
          output: wasOn ? output : 'off',
          why: wasOn ? 'the server or its power was lost' : 'its start was cut short',
          endedAt: new Date(),
        });
        await this.sayInterrupted(run, instrument?.name ?? 'an instrument');
      } finally {
        await lock.end().catch(() => undefined);
      }
    }
  }

  /** That a run was interrupted stands in the timeline of its job: when, what was on, since when, and what is known of it now. */
  private async sayInterrupted(run: InstrumentRunRow, instrument: string): Promise<void> {
    const { place, name } = run.parameters as { place?: string; name?: string };
    const detail = [
      `${name ?? 'a test'} on ${instrument}, begun ${run.startedAt.toISOString().slice(0, 16).replace('T', ' ')} UTC`,
      run.why,
      run.output === 'off' ? 'output off' : 'whether its output is off is not known: somebody has to look',
    ].join('; ');
    await this.store.models.Audit.create({
      jobId: run.jobId,
      personId: null,
      what: 'run interrupted',
      subject: place || 'the pack',
      detail,
    });
  }

  /**
   * Goes on telling an output to be off that did not confirm it in time: a slow instrument, or a full line. Its own answer and
   * a current of nothing make it known; otherwise somebody has to look.
   */
  private async keepSwitchingOff(id: string, jobNumber: number, instrument: InstrumentRow): Promise<void> {
    const { InstrumentRun } = this.store.models;
    const began = Date.now();
    while (!this.closed && Date.now() - began < OFF_ASKED_FOR_MS) {
      await new Promise((r) => setTimeout(r, OFF_ASKED_EVERY_MS).unref());
      try {
        const row = await InstrumentRun.findByPk(id);
        // Still being written, seen by somebody, or taken up by another run: theirs to switch.
        if (row?.state === 'running') continue;
        if (row?.output !== 'unknown') return;
        if ((await this.switchOff(instrument)) !== 'off') continue;
        const seconds = Math.round((Date.now() - began) / 1000);
        await InstrumentRun.update(
          {
            output: 'off',
            why: `${row.why}; its output confirmed off ${seconds} s later`.replace(/^; /, ''),
          },
          { where: { id, output: 'unknown' } },
        );
        await announceNow(this.store, { topic: 'instruments', job: jobNumber });
        return;
      } catch {
        // The database or the instrument is away: asked again.
      }
    }
  }

  private async switchOff(instrument: InstrumentRow): Promise<'off' | 'unknown'> {
    const open = () => openAny(instrument.driver, instrument.host, instrument.port);
    try {
      const device = await open();
      const output = await makeSure(device, open);
      device.close();
      return output;
    } catch {
      return 'unknown';
    }
  }
}
