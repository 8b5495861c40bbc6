import { LOOK_IDS } from '@cellmend/core/buyer';
import { ENDING_IDS, MEASURE_KINDS, type Measure, type MeasureKind } from '@cellmend/core/route';
import { SIGN_NAMES, type Sign } from '@cellmend/core/triage';
import { z } from 'zod';

export const DECISION_TOPICS = [
  'intake',
  'appraisal',
  'measures',
  'match',
  'balance',
  'prove',
  'hand-over',
  'reopen',
] as const;
export type DecisionTopic = (typeof DECISION_TOPICS)[number];

/** What was asked at intake: chips and a few numbers. Kept by version like a decision. */
const IntakeBodySchema = z.object({
  topic: z.literal('intake'),
  complaint: z.string().max(2000),
  signs: z.array(z.enum(SIGN_NAMES as [Sign, ...Sign[]])).max(30),
  codes: z.array(z.string().trim().min(5).max(12)).max(30),
  /** Codes were read; without it an empty list says nothing. */
  codesRead: z.boolean().default(false),
  odometerKm: z.number().min(0).max(5_000_000).nullable(),
  ageYears: z.number().min(0).max(60).nullable(),
  deltaMv: z.number().min(0).max(5000).nullable(),
  insulationOhm: z.number().min(0).max(1e13).nullable(),
  /** Spread of the blocks in per cent of charge, as some tools report it. */
  blockSpreadPercent: z.number().min(0).max(100).nullable().default(null),
  aim: z.enum(['limp on', 'restore', 'sell', 'buy']),
  /** What the vehicle is worth as it stands, in the workshop's currency. */
  vehicleValue: z.number().min(0).max(1e8).nullable().default(null),
  /** An earlier repair and its place in the pack, and parts that were changed already. */
  earlierRepair: z.string().max(500).default(''),
});
/** One line of the list: what is to be done, where, and why. */
export const MeasureSchema = z.object({
  id: z.string().min(1).max(40),
  kind: z.enum(MEASURE_KINDS),
  place: z.string().trim().max(40),
  why: z.string().trim().max(300).default(''),
  closed: z.boolean().default(false),
  dropped: z.string().trim().max(300).default(''),
}) satisfies z.ZodType<Measure>;

const amount = z.number().min(0).max(1e8);
const kept = z.number().gt(0).max(60);
/** A used pack as it is offered: what it shows, what was looked at, what is asked for it and what it is for. */
const AppraisalBodySchema = z.object({
  topic: z.literal('appraisal'),
  shown: z.object({
    deltaMv: z.number().min(0).max(5000).nullable(),
    socFraction: z.number().min(0).max(1).nullable(),
    healthFraction: z.number().min(0).max(1.2).nullable(),
    coldestC: z.number().min(-60).max(300).nullable(),
    warmestC: z.number().min(-60).max(300).nullable(),
    storedMonths: z.number().min(0).max(600).nullable(),
  }),
  looked: z.partialRecord(z.enum(LOOK_IDS), z.enum(['good', 'bad'])),
  offer: z
    .object({
      price: amount,
      taxFraction: z.number().min(0).max(2),
      deposit: amount,
      depositBack: z.enum(['yes', 'no', 'unsure']),
      freight: amount,
      ownHours: z.number().min(0).max(10_000),
      hourRate: z.number().min(0).max(100_000),
    })
    .nullable(),
  use: z
    .object({
      keepsYears: kept,
      distanceKmPerYear: z.number().min(0).max(500_000),
      insteadCost: amount,
      insteadYears: kept,
    })
    .nullable(),
});
export type Appraisal = z.infer<typeof AppraisalBodySchema>;

const PlaceSchema = z.string().min(1).max(40);
export const BalanceLineSchema = z.object({
  place: PlaceSchema,
  currentA: z.number().gt(0).max(500),
  goal: z.enum(['level-now', 'level-when-full']),
  method: z.enum(['supply', 'bleeders']),
});
export type BalanceLine = z.infer<typeof BalanceLineSchema>;

/** How long and how far the workshop stands for its work, and for what of it. */
export const WarrantySchema = z
  .object({
    months: z.number().gt(0).max(240).nullable(),
    km: z.number().gt(0).max(2_000_000).nullable(),
    covers: z.array(z.enum(['parts', 'labour'])).min(1, 'Parts, labour or both.'),
  })
  .refine((w) => w.months !== null || w.km !== null, 'Months, kilometres or both.');

export const DecisionBodySchema = z.discriminatedUnion('topic', [
  IntakeBodySchema,
  AppraisalBodySchema,
  z.object({
    topic: z.literal('measures'),
    measures: z.array(MeasureSchema).max(200),
    /** Work inside the pack was done by somebody else: who, where, by which paper. */
    elsewhere: z
      .string()
      .trim()
      .max(300)
      .refine((v) => v === '' || v.length >= 5, 'By whom, where, by which paper; or nothing.')
      .default(''),
  }),
  z.object({
    topic: z.literal('match'),
    choices: z.array(z.object({ place: PlaceSchema, partId: z.uuid() })).max(200),
  }),
  z.object({ topic: z.literal('balance'), lines: z.array(BalanceLineSchema).max(200) }),
  z.object({
    topic: z.literal('prove'),
    passed: z.boolean(),
    /** Why it is signed although some of what proves it is open or on the edge; a lead's, printed on the sheets. */
    open: z.string().trim().max(500).default(''),
  }),
  z.object({
    topic: z.literal('hand-over'),
    expectations: z.string().max(4000),
    notDone: z.string().max(4000),
    /** Null on sheets from before a job named its ending. */
    ending: z.enum(ENDING_IDS).nullable(),
    /** What it would cost to mend it, or what it is worth; a declined job has one. */
    estimate: z.string().trim().max(2000).default(''),
    /** What the work came to, all in all, in the workshop's currency: held against what was quoted. Null: not said. */
    cameTo: z.number().min(0).max(1e8).nullable().default(null),
    /** Who carries on a thermal watch that is not over, and until when; empty where none goes on. */
    watchBy: z.string().trim().max(200).default(''),
    /** Of one that ends as monitored: what is watched, by whom, until when. */
    watched: z.string().trim().max(300).default(''),
    warranty: WarrantySchema.nullable().default(null),
  }),
  z.object({ topic: z.literal('reopen'), why: z.string().trim().min(3, 'What is back?').max(500) }),
]);
export type DecisionBody = z.output<typeof DecisionBodySchema>;
export type DecisionBodyInput = z.input<typeof DecisionBodySchema>;
export type BodyOf<T extends DecisionTopic> = Extract<DecisionBody, { topic: T }>;

/** Repairs as they were signed before a decision was a list of measures. */
const EARLIER_LEVELS: Record<string, MeasureKind> = {
  module: 'replace-module',
  joint: 'mend-joint',
  balance: 'balance',
  board: 'replace-board',
  pack: 'whole-pack',
  leave: 'monitor',
  decline: 'decline',
};
const EarlierReplaceSchema = z.object({
  topic: z.literal('replace'),
  modules: z.array(z.string()),
  level: z.string().default('module'),
});
const EarlierMatchSchema = z.object({ topic: z.literal('match'), moduleId: z.string(), stockId: z.uuid() });
const EarlierBalanceSchema = BalanceLineSchema.omit({ place: true }).extend({ topic: z.literal('balance') });

/**
 * What somebody signed, whatever the shape of its day. `placeThen` is the module that a plan of before, which named
 * none, was for.
 */
export function bodyOf(stored: unknown, placeThen = ''): DecisionBody {
  const replace = EarlierReplaceSchema.safeParse(stored);
  if (replace.success) {
    const { modules, level } = replace.data;
    const kind = EARLIER_LEVELS[modules.length > 0 ? 'module' : level] ?? 'monitor';
    const measure = (place: string, i: number): Measure => ({
      id: `m${i + 1}`,
      kind,
      place,
      why: '',
      closed: false,
      dropped: '',
    });
    return { topic: 'measures', measures: (modules.length > 0 ? modules : ['']).map(measure), elsewhere: '' };
  }
  const match = EarlierMatchSchema.safeParse(stored);
  if (match.success)
    return { topic: 'match', choices: [{ place: match.data.moduleId, partId: match.data.stockId }] };
  const balance = EarlierBalanceSchema.safeParse(stored);
  if (balance.success) {
    const { topic, ...line } = balance.data;
    return { topic, lines: placeThen ? [{ ...line, place: placeThen }] : [] };
  }
  return DecisionBodySchema.parse({ ending: null, ...(stored as object) });
}

export const DecisionSchema = z.object({
  id: z.uuid(),
  topic: z.enum(DECISION_TOPICS),
  version: z.int(),
  body: DecisionBodySchema,
  note: z.string(),
  findingIds: z.array(z.uuid()),
  signedBy: z.string(),
  signedAt: z.string(),
});
export type Decision = z.infer<typeof DecisionSchema>;
export const NewDecisionSchema = z.object({
  body: DecisionBodySchema,
  note: z.string().max(2000).default(''),
  findingIds: z.array(z.uuid()).max(20).default([]),
  /** Version this edit starts from; 0 for the first. */
  baseVersion: z.int().min(0).max(100000),
});
export type NewDecision = z.input<typeof NewDecisionSchema>;
