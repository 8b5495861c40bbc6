import type { Pack } from '../pack';
import { InputProblem } from '../problem';
import { guessTargets, RecordBuilder, type ScanRecord, type Sink, type Target } from '../scan';
import { CandumpReader, type CanFrame } from './candump';
import { printCode } from './codes';
import { DbcDecoder, type DbcMessage } from './dbc';
import { IsoTpAssembler } from './isotp';
import { decodeRecord, parseUdsResponse, type UdsFile } from './uds';

/** What tells the meaning of a log: broadcast messages, or answers to diagnostic requests. */
/** Signals of one definition file beyond which it describes no vehicle, and how long one's name may be. */
const MOST_SIGNALS = 20_000;
const LONGEST_NAME = 200;

/** The definition, if it is of a size that can be worked with. @throws InputProblem */
export function definitionWithin(d: SignalDefinition): SignalDefinition {
  const names =
    d.kind === 'dbc'
      ? d.messages.flatMap((m) => [m.name, ...m.signals.map((s) => s.name)])
      : d.file.records.flatMap((r) => [r.name, ...r.fields.map((f) => f.name)]);
  const signals =
    d.kind === 'dbc'
      ? names.length - d.messages.length
      : d.file.records.reduce((n, r) => n + r.fields.reduce((k, f) => k + (f.repeat ?? 1), 0), 0);
  if (signals > MOST_SIGNALS)
    throw new InputProblem(
      'definition-size',
      `The file describes ${signals} signals.`,
      d.name,
      `Up to ${MOST_SIGNALS}; keep the messages of the battery.`,
    );
  const long = names.find((n) => n.length > LONGEST_NAME);
  if (long !== undefined)
    throw new InputProblem(
      'definition-name',
      `A name is ${long.length} characters long.`,
      d.name,
      `Names of up to ${LONGEST_NAME}.`,
    );
  return d;
}

export type SignalDefinition =
  { kind: 'dbc'; name: string; messages: DbcMessage[] } | { kind: 'uds'; name: string; file: UdsFile };

/** A trouble code that an answer in the log carried. */
export interface LoggedCode {
  code: string;
  status: number;
  timeS: number;
}

export interface DefinedSignal {
  name: string;
  unit: string;
  target: Target;
}

const CAN_SHAPE = 'A CAN log as candump -L writes it, and a definition file that names its signals.';

/** Every signal that definitions name, with what it seems to stand for in this pack. */
export function definedSignals(
  definitions: readonly SignalDefinition[],
  pack: Pack,
  known: Record<string, Target> = {},
): DefinedSignal[] {
  const named: { name: string; unit: string }[] = [];
  const seen = new Set<string>();
  const add = (name: string, unit: string): void => {
    if (!seen.has(name)) {
      seen.add(name);
      named.push({ name, unit });
    }
  };
  for (const d of definitions) {
    if (d.kind === 'dbc') for (const m of d.messages) for (const s of m.signals) add(s.name, s.unit);
    else
      for (const r of d.file.records)
        for (const f of r.fields)
          for (let n = 1; n <= (f.repeat ?? 1); n++) add(f.name.replace('{n}', String(n)), f.unit ?? '');
  }
  const guesses = guessTargets(
    named.map((s) => (s.unit ? `${s.name} [${s.unit}]` : s.name)),
    pack,
  );
  return named.map((s, i) => {
    const guess = guesses[i]!;
    return { ...s, target: known[s.name] ?? (guess.kind === 'time' ? { kind: 'ignore' } : guess) };
  });
}

/**
 * Reads a CAN log piece by piece into a record: frames decoded by DBC, diagnostic answers put together by ISO-TP and
 * read by their field definitions. Every reading has the time of its frame. Trouble codes in the log are kept.
 */
export class CanScanReader {
  readonly builder: RecordBuilder;
  private readonly targets: Map<string, Target>;
  private readonly decoders: DbcDecoder[];
  private readonly answers = new Map<number, { assembler: IsoTpAssembler; timeS: number }>();
  private readonly reader = new CandumpReader((frame) => this.frame(frame));
  private readonly codesByKey = new Map<string, LoggedCode>();
  private readonly refusals = new Map<string, number>();
  private damaged = 0;
  private frames = 0;
  private unknown = 0;
  private lastTimeS = -Infinity;

  /**
   * @param known what signals stand for where a person has said so.
   * @param sink takes every reading; the record keeps a condensed course of a long log.
   */
  constructor(
    pack: Pack,
    definitions: readonly SignalDefinition[],
    known: Record<string, Target> = {},
    sink?: Sink,
  ) {
    this.builder = new RecordBuilder(pack, false, sink);
    this.targets = new Map(definedSignals(definitions, pack, known).map((s) => [s.name, s.target]));
    this.decoders = definitions.flatMap((d) => (d.kind === 'dbc' ? [new DbcDecoder(d.messages)] : []));
    for (const d of definitions) if (d.kind === 'uds') this.listen(d.file);
  }

  private listen(file: UdsFile): void {
    const answer = {
      timeS: 0,
      assembler: new IsoTpAssembler((payload) => this.answer(file, answer.timeS, payload)),
    };
    this.answers.set(keyOf(file.responseId, file.extended ?? false), answer);
  }

  push(text: string): void {
    this.reader.push(text);
  }

  private put(name: string, timeS: number, value: number): void {
    const target = this.targets.get(name);
    if (target && target.kind !== 'ignore')
      this.builder.put(target, timeS, value, name, () => `${name} at ${timeS.toFixed(3)} s`);
  }

  private frame(frame: CanFrame): void {
    this.frames++;
    if (frame.timeS < this.lastTimeS)
      throw new InputProblem(
        'time-falls',
        `Time goes back from ${this.lastTimeS} s to ${frame.timeS} s.`,
        `frame ${this.frames}`,
        'One log from one start; take joined logs in one by one.',
      );
    this.lastTimeS = frame.timeS;
    const answer = this.answers.get(keyOf(frame.id, frame.extended));
    if (answer) {
      answer.timeS = frame.timeS;
      try {
        answer.assembler.push(frame.data);
      } catch (e) {
        if (!(e instanceof InputProblem) || !e.code.startsWith('isotp')) throw e;
        this.damaged++;
      }
      return;
    }
    let decoded = false;
    for (const d of this.decoders)
      decoded =
        d.decode(frame.id, frame.extended, frame.data, (name, value) => this.put(name, frame.timeS, value)) ||
        decoded;
    if (!decoded) this.unknown++;
  }

  private answer(file: UdsFile, timeS: number, payload: Uint8Array): void {
    let response;
    try {
      response = parseUdsResponse(payload);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      this.damaged++;
      return;
    }
    if (response.kind === 'data') {
      const definition = file.records.find((r) => r.identifier === response.identifier);
      if (definition)
        for (const field of decodeRecord(response.record, definition))
          this.put(field.name, timeS, field.value);
      else this.unknown++;
    } else if (response.kind === 'codes') {
      for (const { code, status } of response.codes) {
        const text = printCode(code);
        this.codesByKey.set(text, { code: text, status, timeS });
      }
    } else if (response.kind === 'negative' && !response.pending) {
      this.refusals.set(response.meaning, (this.refusals.get(response.meaning) ?? 0) + 1);
    }
  }

  /** Trouble codes met, each with its newest status. */
  get codes(): LoggedCode[] {
    return [...this.codesByKey.values()];
  }

  /** How many channels have a reading so far. */
  get channelsSeen(): number {
    return this.builder.seen();
  }

  /** @throws InputProblem if no channel was read, or channels lack. */
  finish(): ScanRecord {
    this.reader.finish();
    const { notices } = this.builder;
    if (this.unknown > 0)
      notices.push(`${this.unknown} of ${this.frames} frames are in no definition and were passed over.`);
    if (this.damaged > 0) notices.push(`${this.damaged} damaged answers were left out.`);
    for (const [meaning, count] of this.refusals)
      notices.push(`The vehicle refused ${count} ${count === 1 ? 'request' : 'requests'}: ${meaning}.`);
    return this.builder.finish(`${this.frames} frames`, CAN_SHAPE);
  }
}

const keyOf = (id: number, extended: boolean): number => (extended ? id + 0x20000000 : id);

/** Whether text looks like a CAN log and not like a table. */
export const looksLikeCandump = (text: string): boolean =>
  /^\s*\(\d+\.\d+\)\s+\S+\s+[0-9A-Fa-f]+#/.test(text.replace(/^\uFEFF/, ''));
