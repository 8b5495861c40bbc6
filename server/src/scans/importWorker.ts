import type { RunCourse } from '@cellmend/contract/bench';
import type { ScanPreview } from '@cellmend/contract/scans';
import { analyseRun, condenseRun, parseRunTable, type RunAnswer } from '@cellmend/core/bench';
import type { LoggedCode } from '@cellmend/core/can';
import { InputProblem, normalisePack, valueOf, type PackProfile } from '@cellmend/core/pack';
import { vehicleFiguresOf } from '@cellmend/core/insulation';
import { asWired, joinRecords, type ScanRecord } from '@cellmend/core/scan';
import {
  deviationMap,
  median,
  spreadReport,
  type DeviationMap,
  type MeterReading,
  type SpreadReport,
} from '@cellmend/core/diagnosis';
import { readDefinition } from '@cellmend/contract/scans';
import { definitionWithin, type SignalDefinition } from '@cellmend/core/can';
import { performance } from 'node:perf_hooks';
import type { MessagePort } from 'node:worker_threads';
import { readArchive, type ReadyArchive } from '../archive/read';
import { previewScanFile } from './previewFile';
import { readScanFile, type ReadingHelp } from './readFile';
import type { FileFormat } from '@cellmend/contract/scans';
import { Spill, type Spilled } from './spill';
import { fieldsOf } from '@cellmend/contract/problem';
import { ZodError } from 'zod';

/** A stored record with the moment it began. */
export interface StoredPart {
  record: ScanRecord;
  startS: number;
  /** False where nobody knows it: it stands for the order alone. */
  startKnown: boolean;
}

/** What a thread is asked to do: read a file, look at one, or report on what is stored already. */
export type ScanTask =
  | { kind: 'definition'; name: string; text: string }
  | { kind: 'archive'; path: string; nowMs: number }
  | ({ profile: PackProfile } & PackTask);
type PackTask =
  | { kind: 'read'; path: string; spillTo: string; help: ReadingHelp; entry?: string | undefined }
  | { kind: 'preview'; path: string; help: ReadingHelp; entry?: string | undefined }
  | { kind: 'record'; record: ScanRecord; held: HeldReadings }
  | { kind: 'report'; parts: StoredPart[]; metered: MeterReading[] }
  | { kind: 'run'; text: string; cells: number; cutoffV: number; atCutoff?: boolean };
/** Every reading of a record, waiting to be stored. */
export interface HeldReadings {
  spilled: Spilled;
  rows: number;
  durationS: number;
}
export interface ReadAnswer extends HeldReadings {
  record: Pick<ScanRecord, 'channelIds' | 'simultaneous' | 'startEpochS' | 'notices'>;
  /** The vehicle's own insulation figure, at moments counted from the record's zero. */
  insulation: { atS: number; ohm: number }[];
  codes: LoggedCode[];
  format: FileFormat;
  report: SpreadReport;
  picture: DeviationMap;
}
export type ScanAnswer =
  | { ok: true; read: ReadAnswer }
  | { ok: true; preview: ScanPreview }
  | { ok: true; report: SpreadReport }
  | { ok: true; definition: SignalDefinition }
  | { ok: true; run: ReadRunAnswer }
  | { ok: true; archive: ReadyArchive }
  | { ok: false; problem: { code: string; what: string; where: string; accepted: string } }
  | { ok: false; failure: string; code?: string };

/** A logged run of a module: what it says, its course in a few points, and its ends. */
export interface ReadRunAnswer {
  answer: RunAnswer;
  course: RunCourse;
  notices: string[];
  hours: number;
  currentA: number | null;
  startV: number;
  endV: number;
  /** Every reading, by the name of its signal. */
  readings: Record<string, Float64Array>;
  highestV: number;
  /** Of the first reading that there is, °C. */
  startC: number | null;
  hottestC: number | null;
}
function readRunText(
  { text, cells, cutoffV, atCutoff }: Extract<PackTask, { kind: 'run' }>,
  profile: PackProfile,
): ReadRunAnswer {
  const columns = parseRunTable(text);
  const { timeS, currentA, voltageV, temperatureC } = columns;
  const { chemistry } = profile;
  const answer = analyseRun({
    chemistry,
    cellsInSeries: cells,
    cutoffV,
    atCutoff,
    timeS,
    currentA,
    voltageV,
    temperatureC,
  });
  const { notices, ...course } = condenseRun(columns);
  const loaded = currentA.filter((i) => i > 0.02);
  const most = (values: readonly number[]): number => values.reduce((m, v) => (v > m ? v : m), -Infinity);
  const hottest = temperatureC ? most(temperatureC) : -Infinity;
  return {
    answer: {
      ...answer,
      pulses: answer.pulses.slice(0, 200),
      gaps: answer.gaps.slice(0, 50),
      warnings: answer.warnings.slice(0, 40),
    },
    course: {
      ...course,
      ...(course.temperatureC
        ? { temperatureC: course.temperatureC.map((c) => (Number.isFinite(c) ? c : null)) }
        : {}),
    } as RunCourse,
    notices,
    readings: {
      time: Float64Array.from(timeS),
      voltage: Float64Array.from(voltageV),
      current: Float64Array.from(currentA),
      ...(temperatureC ? { temperature: Float64Array.from(temperatureC) } : {}),
    },
    hours: timeS.at(-1)! / 3600,
    currentA: loaded.length > 0 ? median(loaded) : null,
    startV: voltageV[0]!,
    endV: voltageV.at(-1)!,
    highestV: most(voltageV),
    startC: temperatureC ? (temperatureC.find((c) => Number.isFinite(c)) ?? null) : null,
    hottestC: Number.isFinite(hottest) ? hottest : null,
  };
}

/** Several records of one pack, on one time line, reported on together; one alone as it is. */
function reportOn(parts: StoredPart[], metered: MeterReading[], profile: PackProfile): SpreadReport {
  const pack = normalisePack(profile);
  if (parts.length === 1) return spreadReport(parts[0]!.record, pack, metered);
  const alone = parts.map((p) => ({ ...p, report: spreadReport(p.record, pack) }));
  // A pack beyond its limits in any record is not joined: the newest such record is the finding.
  const beyond = alone.filter((p) => p.report.working === null).sort((a, b) => b.startS - a.startS)[0];
  if (beyond) return spreadReport(beyond.record, pack, metered);
  // The capacity is best known from the record that counted most charge.
  const width = (r: SpreadReport): number =>
    r.capacityAh.measured ? r.capacityAh.high - r.capacityAh.low : Infinity;
  const best = alone.reduce((a, b) => (width(b.report) < width(a.report) ? b : a));
  const working = alone.map((p) => p.report.working!);
  const joined = joinRecords(
    alone.map((p, i) => ({
      record: p.record,
      startS: p.startS,
      startKnown: p.startKnown,
      startSocFraction: working[i]!.startSocFraction,
      endSocFraction: working[i]!.endSocFraction,
    })),
    valueOf(best.report.capacityAh) ?? best.report.working!.capacityAh,
  );
  return spreadReport(joined, pack, metered, best.report.capacityAh);
}

/** Off the server's event loop: a long file is read piece by piece, a record is diagnosed. */
async function run(task: ScanTask, progressed: (fraction: number) => void): Promise<ScanAnswer> {
  if (task.kind === 'definition')
    return { ok: true, definition: definitionWithin(readDefinition(task.name, task.text)) };
  if (task.kind === 'archive') return { ok: true, archive: await readArchive(task.path, task.nowMs) };
  const pack = normalisePack(task.profile);
  const whole = (
    record: ScanRecord,
    held: HeldReadings,
    codes: LoggedCode[],
    format: FileFormat,
    /** Metered at the places themselves: no sense wire had a part in it. */
    metered = false,
  ): ScanAnswer => {
    const { channelIds, simultaneous, startEpochS, notices } = record;
    return {
      ok: true,
      read: {
        ...held,
        record: { channelIds, simultaneous, startEpochS, notices },
        insulation: record.insulationOhm ? vehicleFiguresOf(record.insulationOhm) : [],
        codes,
        format,
        report: spreadReport(metered ? record : asWired(record, pack.profile), pack),
        picture: deviationMap(record, pack),
      },
    };
  };
  switch (task.kind) {
    case 'run':
      return { ok: true, run: readRunText(task, task.profile) };
    case 'read': {
      let told = 0;
      const spill = new Spill(task.spillTo);
      const { record, codes, format, rows, durationS } = await readScanFile(
        task.path,
        pack,
        task.help,
        spill.take,
        (progress) => {
          if (progress - told < 0.04) return;
          told = progress;
          progressed(progress);
        },
        task.entry,
      );
      return whole(record, { spilled: spill.done(), rows, durationS }, codes, format, task.help.metered);
    }
    case 'record':
      return whole(task.record, task.held, [], 'can');
    case 'preview':
      return { ok: true, preview: await previewScanFile(task.path, pack, task.help, task.entry) };
    case 'report':
      return { ok: true, report: reportOn(task.parts, task.metered, task.profile) };
  }
}

/** A thread that has done nothing for so long waits for what never comes: the rest of a damaged archive, say. */
const IDLE_MS = 6000;
const LOOK_MS = 1000;
/** Less than this in a look is not work: the looking itself. */
const LEAST_ACTIVE_MS = 20;

/**
 * The answer of some work, or a refusal once nothing is being done for it any more. Readers of archives and workbooks may
 * wait for ever for the end of an entry whose bytes are damaged; without this two such files would keep both threads.
 */
export async function atWork<T>(work: Promise<T>, idleMs = IDLE_MS): Promise<T> {
  let idle = 0;
  let before = performance.eventLoopUtilization();
  let timer: NodeJS.Timeout | undefined;
  const stuck = new Promise<never>((_, reject) => {
    timer = setInterval(() => {
      const now = performance.eventLoopUtilization();
      const active = now.active - before.active;
      before = now;
      idle = active < LEAST_ACTIVE_MS ? idle + LOOK_MS : 0;
      if (idle >= idleMs)
        reject(
          new InputProblem(
            'damaged',
            'The file cannot be read to its end: it is damaged.',
            'the file',
            'The file as it was exported; copy it once more, or export it anew.',
          ),
        );
    }, LOOK_MS);
  });
  try {
    return await Promise.race([work, stuck]);
  } finally {
    clearInterval(timer);
  }
}

/** What a thread of the pool runs; how far it is goes out by `port`. */
export async function work({ task, port }: { task: ScanTask; port?: MessagePort }): Promise<ScanAnswer> {
  try {
    return await atWork(run(task, (fraction) => port?.postMessage(fraction)));
  } catch (error) {
    if (error instanceof InputProblem)
      return {
        ok: false,
        problem: { code: error.code, what: error.what, where: error.where, accepted: error.accepted },
      };
    if (error instanceof SyntaxError || error instanceof ZodError)
      return {
        ok: false,
        problem: {
          code: 'definition',
          what:
            error instanceof SyntaxError
              ? 'The file begins like JSON but is not.'
              : `Its fields cannot be read: ${fieldsOf(error)
                  .slice(0, 2)
                  .map((f) => `${f.field}: ${f.message}`)
                  .join(' · ')}`,
          where: task.kind === 'definition' ? task.name : '',
          accepted: 'A DBC file, or JSON.',
        },
      };
    const { code } = error as { code?: string };
    return {
      ok: false,
      failure: error instanceof Error ? (error.stack ?? error.message) : String(error),
      ...(code ? { code } : {}),
    };
  } finally {
    port?.close();
  }
}
