import { StartLiveSchema, WatchBusSchema, type LiveState } from '@cellmend/contract/scans';
import { definedSignals, type UdsFile } from '@cellmend/core/can';
import { InputProblem, normalisePack, type PackProfile } from '@cellmend/core/pack';
import {
  findCurrentDirection,
  RecordBuilder,
  inOurUnits,
  wiring,
  type ScanRecord,
  type Target,
} from '@cellmend/core/scan';
import { pollVehicle } from '@cellmend/devices/live';
import { SocketcandClient } from '@cellmend/devices/socketcand';
import { createHash, randomUUID, type Hash } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { z } from 'zod';
import type { Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { watchBus } from '../live/busWatch';
import { reach } from '../live/reach';
import type { LiveOwners } from '../live/owners';
import type { ReadAnswer } from './importWorker';
import { readingHelp } from './help';
import { canHeading } from './readFile';
import { refuseClash } from './clash';
import { Spill } from './spill';
import { runFor } from './work';
import { hasLog, LiveLog, readLog, removeLog, type LiveHead, type LogLine } from '../live/log';
import { workFolder } from './workFolder';

/** Pages are told of new values this often. */
const TELL_EVERY_MS = 700;
/** A live record longer than this is stopped: it belongs into a logger. */
const LONGEST_MS = 4 * 3600_000;

const readAlready = (): Refusal =>
  new Refusal('conflict', 'Read already', 'This job reads a vehicle already. Stop it first.');

interface Session {
  jobId: string;
  jobNumber: number;
  profile: PackProfile;
  state: LiveState;
  builder: RecordBuilder;
  /** Every reading so far, and what tells it from any other. */
  spill: Spill;
  hash: Hash;
  folder: string;
  /** Where each signal of the definition goes. */
  targets: Map<string, Target>;
  /** For each channel, the place where it was measured. */
  placeOf: number[];
  refused: Map<string, number>;
  stop: AbortController;
  done: Promise<void>;
}

/** Vehicles being read right now by this server process: one a job, whichever process it is asked of. */
export class LiveSessions {
  private readonly byJob = new Map<string, Session>();
  /** Jobs whose vehicle is being reached, and whose log is being read: two who ask at once get one session. */
  private readonly starting = new Set<string>();
  private readonly finding = new Map<string, Promise<void>>();

  constructor(
    private readonly store: Store,
    private readonly tell: (jobNumber: number, state: LiveState) => void,
    private readonly owners: LiveOwners,
  ) {}

  async start(
    job: { id: string; number: number },
    profile: PackProfile,
    body: unknown,
    demo: boolean,
  ): Promise<LiveState> {
    const { source, role } = StartLiveSchema.parse(body);
    await refuseClash(this.store, job.id, role, new Date(this.store.clock.now().wallMs), 0);
    const running = this.byJob.get(job.id)?.state.state;
    if (running === 'connecting' || running === 'reading' || this.starting.has(job.id)) throw readAlready();
    // One that never came to its first line holds nothing that could be lost.
    if (hasLog(job.id) && readLog(job.id) === null) removeLog(job.id);
    if (hasLog(job.id))
      throw new Refusal(
        'conflict',
        'Not kept yet',
        'What was read of this vehicle before was neither kept nor given up. It is still here: do one of the two first.',
      );
    this.starting.add(job.id);
    try {
      if (!(await this.owners.take(job.id))) throw readAlready();
      try {
        return await this.open(job, profile, source, role, demo);
      } catch (e) {
        if (!this.byJob.has(job.id)) await this.owners.letGo(job.id);
        throw e;
      }
    } finally {
      this.starting.delete(job.id);
    }
  }

  private async open(
    job: { id: string; number: number },
    profile: PackProfile,
    source: z.output<typeof StartLiveSchema>['source'],
    role: 'before' | 'after',
    demo: boolean,
  ): Promise<LiveState> {
    const { client, definition, address, vehicle } = await reach(this.store, source, profile, demo, 20);
    const known = (await readingHelp(this.store)).known.find(
      (k) => k.names.join('\n') === canHeading([definition]).join('\n'),
    )?.mapping.signals;
    const head: LiveHead = {
      role,
      message: `${definition.name}, ${address.host}:${address.port}, ${address.bus}`,
      startedAt: new Date().toISOString(),
      targets: definedSignals([definition], normalisePack(profile), known).map((s) => [s.name, s.target]),
    };
    const session = await this.begin(job, profile, head);
    const log = new LiveLog(job.id, head);
    this.byJob.set(job.id, session);
    session.done = this.run(session, client, definition.file, log).finally(async () => {
      log.close();
      client.close();
      await vehicle?.stop();
    });
    return session.state;
  }

  /** Watches the bus while somebody switches the vehicle ready. @throws 409 while the job reads its vehicle */
  async watch(
    job: { id: string; number: number },
    profile: PackProfile,
    body: unknown,
    demo: boolean,
    signal: AbortSignal,
  ): ReturnType<typeof watchBus> {
    const { source, seconds } = WatchBusSchema.parse(body);
    const running = this.byJob.get(job.id)?.state.state;
    if (running === 'connecting' || running === 'reading' || this.starting.has(job.id)) throw readAlready();
    // Two who ask one control unit at once take each other's answers for their own.
    this.starting.add(job.id);
    try {
      if (!(await this.owners.take(job.id))) throw readAlready();
      try {
        const { client, definition, vehicle } = await reach(this.store, source, profile, demo, 1);
        try {
          return await watchBus(client, definition.file, seconds, signal);
        } finally {
          client.close();
          await vehicle?.stop();
        }
      } finally {
        if (!this.byJob.has(job.id)) await this.owners.letGo(job.id);
      }
    } finally {
      this.starting.delete(job.id);
    }
  }

  /** A session with nothing in it yet. */
  private async begin(
    job: { id: string; number: number },
    profile: PackProfile,
    { role, message, startedAt, targets }: LiveHead,
  ): Promise<Session> {
    const pack = normalisePack(profile);
    const { path: folder } = await workFolder();
    const spill = new Spill(join(folder, 'readings'));
    const hash = createHash('sha256');
    // What is shown while it is read stands at its place; what is kept stands under the names it came by.
    const at = wiring(profile) ?? pack.channels.map((c) => c.index);
    return {
      jobId: job.id,
      jobNumber: job.number,
      profile,
      folder,
      spill,
      hash,
      builder: new RecordBuilder(pack, false, (signal, piece) => {
        hash.update(signal).update(new Uint8Array(piece.buffer, piece.byteOffset, piece.byteLength));
        spill.take(signal, piece);
      }),
      targets: new Map(targets),
      placeOf: pack.channels.map((c) => at.indexOf(c.index)),
      refused: new Map(),
      stop: new AbortController(),
      done: Promise.resolve(),
      state: {
        id: randomUUID(),
        state: 'reading',
        message,
        role,
        startedAt,
        readings: 0,
        codes: [],
        codesRead: false,
        currentA: null,
        socFraction: null,
        packV: null,
        insulationOhm: null,
        temperatureC: null,
        sensorsC: {},
        voltageV: pack.channels.map(() => null),
      },
    };
  }

  /** One answer of the vehicle, as it comes or as it was written down. */
  private take({ state, builder, targets, placeOf, refused }: Session, line: LogLine): void {
    for (const v of line.values ?? []) {
      const target = targets.get(v.name);
      if (!target || target.kind === 'ignore') continue;
      builder.put(target, v.timeS, v.value, v.name, () => v.name);
      state.readings++;
      const ours = inOurUnits(target, v.value);
      if (target.kind === 'channel') state.voltageV[placeOf[target.channelIndex]!] = ours;
      else if (target.kind === 'current') state.currentA = ours;
      else if (target.kind === 'soc') state.socFraction = ours;
      else if (target.kind === 'pack-voltage') state.packV = ours;
      else if (target.kind === 'insulation') state.insulationOhm = ours;
      else if (target.kind === 'temperature') {
        state.temperatureC = ours;
        state.sensorsC[v.name] = ours;
      }
    }
    if (line.codes) {
      state.codes = line.codes;
      state.codesRead = true;
    }
    if (line.refused !== undefined) refused.set(line.refused, (refused.get(line.refused) ?? 0) + 1);
  }

  /**
   * The session of a job: the one that reads, or what one left on disk that ended without being kept, because its server
   * died or the database was away.
   */
  async find(job: { id: string; number: number }, profile: PackProfile): Promise<LiveState | null> {
    if (!this.byJob.has(job.id) && !this.starting.has(job.id)) {
      const reading = this.finding.get(job.id) ?? this.recover(job, profile);
      this.finding.set(job.id, reading);
      await reading.finally(() => this.finding.delete(job.id));
    }
    return this.byJob.get(job.id)?.state ?? null;
  }

  private async recover(job: { id: string; number: number }, profile: PackProfile): Promise<void> {
    const log = readLog(job.id);
    if (!log || !(await this.owners.take(job.id))) return;
    const { head, lines } = log;
    const session = await this.begin(job, profile, head);
    for (const line of lines) this.take(session, line);
    session.state.state = 'failed';
    session.state.message = `${head.message}. It was interrupted; what was read until then is here.`;
    this.byJob.set(job.id, session);
  }

  private async run(session: Session, client: SocketcandClient, file: UdsFile, log: LiveLog): Promise<void> {
    const { state } = session;
    const take = (line: LogLine): void => {
      log.take(line);
      this.take(session, line);
    };
    const tell = setInterval(() => this.tell(session.jobNumber, state), TELL_EVERY_MS);
    const longest = setTimeout(() => session.stop.abort(), LONGEST_MS);
    try {
      await pollVehicle(
        client,
        file,
        {
          onValues: (values) => take({ values }),
          onCodes: (codes) => take({ codes }),
          onRefused: (refused) => take({ refused }),
        },
        session.stop.signal,
      );
      state.state = 'stopped';
    } catch (e) {
      state.state = 'failed';
      state.message =
        e instanceof InputProblem ? e.message : `The vehicle was lost: ${(e as Error).message}.`;
    } finally {
      clearInterval(tell);
      clearTimeout(longest);
      this.tell(session.jobNumber, state);
    }
  }

  /** Ends a session and answers with its record, reported on; what was read before a failure is not lost. */
  async finish(jobId: string): Promise<{
    read: ReadAnswer & { sha256: string; path: null; discard: (stored: boolean) => Promise<void> };
    role: 'before' | 'after';
    began: Date;
  }> {
    const session = this.byJob.get(jobId);
    if (!session) throw notFound('A live scan of this job');
    session.stop.abort();
    await session.done;
    /** Once it is stored nothing of it is needed; if it could not be, it is found again in its log. */
    const discard = async (stored: boolean): Promise<void> => {
      if (stored) removeLog(jobId);
      await rm(session.folder, { recursive: true, force: true });
    };
    const { builder, profile } = session;
    const record = this.recordOf(session);
    const held = {
      spilled: session.spill.done(),
      rows: builder.rows,
      durationS: builder.newestS - builder.oldestS,
    };
    const read = await runFor('read', { kind: 'record', profile, record, held });
    this.byJob.delete(jobId);
    await this.owners.letGo(jobId);
    return {
      role: session.state.role,
      began: new Date(session.state.startedAt),
      read: {
        ...read,
        codes: session.state.codes.map((c) => ({ ...c, timeS: 0 })),
        sha256: session.hash.digest('hex'),
        path: null,
        discard,
      },
    };
  }

  private recordOf(session: Session): ScanRecord {
    const record = session.builder.finish('the live scan', 'At least one answer for every channel.');
    for (const [meaning, count] of session.refused)
      record.notices.push(
        `The vehicle refused ${count} ${count === 1 ? 'request' : 'requests'}: ${meaning}.`,
      );
    if (findCurrentDirection(record).positive === 'charge')
      record.notices.push('The voltages rise while the current is positive: its direction is in doubt.');
    return record;
  }

  /** Gives up a session without keeping anything. */
  async discard(jobId: string): Promise<void> {
    await this.leave(jobId);
    removeLog(jobId);
  }

  /** Ends a session; what was read stays in its log until it is kept or given up. */
  private async leave(jobId: string): Promise<void> {
    const session = this.byJob.get(jobId);
    if (!session) return;
    session.stop.abort();
    await session.done;
    this.byJob.delete(jobId);
    await this.owners.letGo(jobId);
    session.spill.done();
    await rm(session.folder, { recursive: true, force: true });
  }

  async close(): Promise<void> {
    this.owners.close();
    await Promise.all([...this.byJob.keys()].map((id) => this.leave(id)));
  }
}
