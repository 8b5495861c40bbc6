import { z } from 'zod';

import { DRIVER_IDS, INSTRUMENT_KINDS, isBenchDriver, kindOf, onlyReads } from './instrumentKinds';
export * from './instrumentKinds';

const short = z.string().trim().max(80);
export const NewInstrumentSchema = z
  .object({
    name: short.min(1),
    kind: z.enum(INSTRUMENT_KINDS),
    driver: z.enum(DRIVER_IDS),
    host: z.string().trim().min(1).max(200),
    port: z.int().min(1).max(65535),
    serial: short.default(''),
    /** Most it may put out, V: the workshop's own limit for it. */
    mostV: z.number().gt(0).max(5000),
    /** Most it may pass, A; asked of what runs modules. */
    mostA: z.number().gt(0).max(2000).nullable().default(null),
    /** Of a resistor bank, Ω. */
    ohm: z.number().gt(0).max(10_000).nullable().default(null),
    /** The instrument that reads for it: what flows through a bank, the warmth where a charger has no sensor. */
    readsWith: z.uuid().nullable().default(null),
    calibratedUntil: z.iso.date('A date such as 2027-06-30.').nullable().default(null),
  })
  .refine((i) => kindOf(i.driver) === i.kind, {
    path: ['driver'],
    error: 'A driver of that kind of instrument.',
  })
  .refine((i) => i.kind !== 'relay' || i.ohm !== null, {
    path: ['ohm'],
    error: 'What the bank behind it has, Ω.',
  })
  .refine((i) => i.kind !== 'relay' || i.readsWith !== null, {
    path: ['readsWith'],
    error: 'A logger that reads what flows: a relay reads nothing.',
  })
  .refine((i) => i.mostA !== null || !isBenchDriver(i.driver) || onlyReads(i.kind), {
    path: ['mostA'],
    error: 'The most that may flow, A.',
  });
export type NewInstrument = z.input<typeof NewInstrumentSchema>;

/** What became of the output when a run ended: `unknown` where the instrument could not be reached. */
export const OutputSchema = z.enum(['on', 'off', 'unknown']);
export type Output = z.infer<typeof OutputSchema>;

export const InstrumentSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  kind: z.enum(INSTRUMENT_KINDS),
  driver: z.enum(DRIVER_IDS),
  host: z.string(),
  port: z.int(),
  serial: z.string(),
  mostV: z.number(),
  mostA: z.number().nullable(),
  ohm: z.number().nullable(),
  readsWith: z.uuid().nullable(),
  calibratedUntil: z.string().nullable(),
  /** Ships with the app and is not there: nothing it shows is of a real pack. */
  simulated: z.boolean(),
  identity: z.string(),
  lastSeen: z.string().nullable(),
  /** The job that drives it now, or whose run left its output unknown; why, where no job did. */
  busyWith: z.object({ jobNumber: z.int().nullable(), output: OutputSchema, why: z.string() }).nullable(),
});
export type Instrument = z.infer<typeof InstrumentSchema>;

export const RUN_STATES = ['running', 'done', 'asked', 'interrupted'] as const;
export const InstrumentRunSchema = z.object({
  id: z.uuid(),
  instrument: z.string(),
  instrumentId: z.uuid(),
  state: z.enum(RUN_STATES),
  output: OutputSchema,
  /** Why it ended early, or what it asks. */
  why: z.string(),
  by: z.string(),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  readings: z.int(),
});
export type InstrumentRun = z.infer<typeof InstrumentRunSchema>;
export const OutputSeenSchema = z.object({
  note: z.string().trim().min(3, 'Say who switched it off and how.').max(300),
});
