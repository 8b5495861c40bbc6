import type { Bound, Quantity } from '@cellmend/core/jot';
import { VOLTAGE_STATES } from '@cellmend/core/pack';
import { z } from 'zod';
import { ObservedAtSchema, shown } from './fields';
import { CheckIdSchema, StageSchema } from './jobs';

/** What may be observed at a place of the pack, with the one unit it is stored in. */
export const READING_KINDS = [
  'voltage',
  'resistance',
  'insulation',
  'temperature',
  'capacity',
  'torque',
  'current',
  'code',
  'note',
  /** Says that the reading it supersedes does not hold; what was read stays in the record. */
  'withdrawn',
] as const satisfies readonly (Quantity | 'code' | 'note' | 'withdrawn')[];
export type ReadingKind = (typeof READING_KINDS)[number];
export const ReadingKindSchema = z.enum(READING_KINDS);
/** A figure that is only a bound: at the end of the meter's range, or beyond it. */
export const BOUNDS = ['at-least', 'over-range'] as const satisfies readonly Bound[];

/** What an observation is of, and of what. */
export const OBSERVATION_TOPICS = [
  'reading',
  'make-safe',
  'insulation',
  'work',
  'strip-down',
  'photo',
  'open-point',
  'bench',
  'quote',
  'outcome',
  'record',
] as const;
export type ObservationTopic = (typeof OBSERVATION_TOPICS)[number];
export const SUBJECT_KINDS = ['pack', 'place', 'channel', 'part', 'vehicle'] as const;
export type SubjectKind = (typeof SUBJECT_KINDS)[number];

const volt = z.number().min(-10).max(2000).nullable();
const celsius = z.number().min(-60).max(300).nullable();
/** What the management unit of the closed pack shows when it is woken; null where nobody looked. */
export const WakeSchema = z.object({
  replies: z.int().min(0).max(2000).nullable(),
  highestV: volt,
  lowestV: volt,
  sumV: volt,
  packV: volt,
  coldestC: celsius,
  warmestC: celsius,
  codes: z.array(z.string().trim().min(1).max(40)).max(100).nullable(),
});
/** A coolant circuit under air pressure. */
export const LeakTestSchema = z.object({
  startKpa: z.number().gt(0).max(2000),
  endKpa: z.number().min(-100).max(2000),
  startC: celsius,
  endC: celsius,
  minutes: z.number().gt(0).max(10_000),
  allowedKpa: z.number().min(0).max(500),
});

const volts = z.array(z.number().min(-50).max(3000)).max(4000);
/** The bus while the vehicle is switched ready: times, s, with its volts, and the pack's where they were logged beside. */
export const BusTraceSchema = z.object({
  timeS: z.array(z.number().min(-1e6).max(1e10)).max(4000),
  busV: volts,
  packV: volts.optional(),
  /** The pack as somebody metered it; null where nobody did. */
  toldPackV: z.number().gt(0).max(2000).nullable().default(null),
});

/** A board held against the meter: the finding whose scan it is of, and what was metered, V a channel. */
export const BoardMeteredSchema = z.object({
  findingId: z.uuid(),
  meter: z
    .array(z.object({ channel: z.string().trim().min(1).max(40), voltageV: z.number().min(-10).max(2000) }))
    .max(1000),
});

/** A check of some work, recorded as passed or not. */
export const NewCheckSchema = z.object({
  check: CheckIdSchema,
  /** The place of the measure; empty for the whole pack. */
  place: z.string().trim().max(40).default(''),
  passed: z.boolean(),
  value: z.number().min(-1e13).max(1e13).nullable().default(null),
  text: z.string().trim().max(2000).default(''),
  /** What the check asks besides and was not done. */
  left: z.array(z.string().max(80)).max(6).default([]),
  /** Figures from which whether it passed is worked out; what `passed` says is then not asked. */
  wake: WakeSchema.optional(),
  leak: LeakTestSchema.optional(),
  bus: BusTraceSchema.optional(),
  board: BoardMeteredSchema.optional(),
});
export type NewCheck = z.input<typeof NewCheckSchema>;
export const CheckSchema = z.object({
  id: z.uuid(),
  check: CheckIdSchema,
  place: z.string(),
  passed: z.boolean(),
  value: z.number().nullable(),
  unit: z.string(),
  text: z.string(),
  /** What it asks besides and was not done. */
  left: z.array(z.string()).optional(),
  by: z.string(),
  at: z.string(),
});
export type Check = z.infer<typeof CheckSchema>;

export const ReadingSchema = z.object({
  id: z.uuid(),
  kind: ReadingKindSchema,
  /** `M07`, `ch018`, or empty for the whole pack. */
  place: z.string(),
  value: z.number().nullable(),
  bound: z.enum(BOUNDS).nullable(),
  unit: z.string(),
  text: z.string(),
  instrument: z.string(),
  conditions: z.string(),
  stage: StageSchema,
  observedAt: z.string(),
  recordedAt: z.string(),
  recordedBy: z.string(),
  supersedes: z.uuid().nullable(),
  supersededBy: z.uuid().nullable(),
  reason: z.string(),
  /** What a voltage says by itself, by floor and ceiling of its place; null for everything else. */
  judged: z.object({ state: z.enum(VOLTAGE_STATES), says: z.string() }).nullable(),
});
export type Reading = z.infer<typeof ReadingSchema>;

export const NewReadingSchema = z
  .object({
    /** Made where it was typed, so that it can be withdrawn before the server has answered. */
    id: z.uuid().optional(),
    kind: ReadingKindSchema.exclude(['withdrawn']),
    place: z.string().trim().max(40).default(''),
    value: z
      .number()
      .refine(Number.isFinite, 'A finite number.')
      .min(-1e15)
      .max(1e15)
      .nullable()
      .default(null),
    bound: z.enum(BOUNDS).nullable().default(null),
    text: shown(2000).default(''),
    instrument: shown(80).default(''),
    conditions: shown(200).default(''),
    stage: StageSchema,
    observedAt: ObservedAtSchema,
    supersedes: z.uuid().nullable().default(null),
    reason: shown(500).default(''),
  })
  .refine(
    (r) =>
      r.kind === 'note' || r.kind === 'code'
        ? r.text !== ''
        : (r.value === null) === (r.bound === 'over-range'),
    {
      path: ['value'],
      message: 'A note or a trouble code needs text, every other reading a value or “over range”.',
    },
  )
  .refine((r) => r.bound === null || r.kind === 'insulation' || r.kind === 'resistance', {
    path: ['bound'],
    message: 'Only a resistance is given as a bound.',
  })
  .refine((r) => r.supersedes === null || r.reason !== '', {
    path: ['reason'],
    message: 'A correction says why.',
  });
export type NewReading = z.input<typeof NewReadingSchema>;
/** The last entry taken back, or one that was typed wrong: it stays in the record and counts for nothing. */
export const WithdrawReadingSchema = z.object({
  reason: z.string().trim().min(1, 'A few words: why it does not hold.').max(500),
  stage: StageSchema,
});

export const TimelineEntrySchema = z.object({
  id: z.string(),
  at: z.string(),
  who: z.string(),
  what: z.string(),
  subject: z.string(),
  detail: z.string(),
});
export type TimelineEntry = z.infer<typeof TimelineEntrySchema>;

export const ClockSchema = z.object({
  id: z.uuid(),
  jobNumber: z.int().nullable(),
  label: z.string(),
  kind: z.string(),
  startedAt: z.string(),
  endsAt: z.string(),
  doneAt: z.string().nullable(),
});
export type Clock = z.infer<typeof ClockSchema>;
export const CLOCK_KINDS = [
  'charge',
  'rest',
  'hold-test',
  'paste',
  'sealant',
  'capacitors',
  'thermal-watch',
  'other',
] as const;
export const NewClockSchema = z.object({
  label: z.string().trim().min(1).max(120),
  kind: z.enum(CLOCK_KINDS),
  endsAt: z.iso
    .datetime({ offset: true })
    .refine(
      (t) => Math.abs(Date.parse(t) - Date.now()) < 400 * 86_400_000,
      'A moment within a year of today.',
    ),
  stage: StageSchema,
});
