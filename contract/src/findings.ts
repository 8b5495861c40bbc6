import { z } from 'zod';
import {
  BalancePlanSchema,
  ComparisonSchema,
  InsulationReportSchema,
  MatchRowSchema,
  SpreadReportSchema,
} from './results';

const volt = z.number().gt(0).max(10);
const SpreadAskSchema = z.object({
  topic: z.literal('spread'),
  role: z.enum(['before', 'after']),
  /** Several records are put on one time line. */
  scanIds: z.array(z.uuid()).min(1).max(20),
  /** Voltages metered at the terminals of channels since. */
  readingIds: z.array(z.uuid()).max(500).default([]),
  /** What was said of when the records were made. */
  momentIds: z.array(z.uuid()).max(40).optional(),
});
const InsulationAskSchema = z.object({
  topic: z.literal('insulation'),
  observationIds: z.array(z.uuid()).max(500),
  /** The scan whose voltages place the leak; null: all modules alike. */
  spreadFindingId: z.uuid().nullable(),
  /** Voltages typed at modules and channels: where one stands low is a hint. */
  readingIds: z.array(z.uuid()).max(1000).default([]),
  /** Intake named a lamp or a code of the insulation. */
  reported: z.literal(true).optional(),
  /** Its signs are worse after rain. */
  afterRain: z.literal(true).optional(),
  /** Parts that went in with this job: what was measured at their places before is of others. */
  fitted: z
    .array(z.object({ place: z.string(), at: z.iso.datetime() }))
    .max(500)
    .optional(),
});
const MatchAskSchema = z.object({
  topic: z.literal('match'),
  spreadFindingId: z.uuid(),
  moduleId: z.string().min(1).max(40),
  stockIds: z.array(z.uuid()).min(1).max(200),
  temperatureC: z.number().min(-40).max(80).nullable(),
});
const BalanceAskSchema = z.object({
  topic: z.literal('balance'),
  spreadFindingId: z.uuid(),
  stockId: z.uuid(),
  packCellVoltageV: volt,
  currentA: z.number().gt(0).max(500),
  bleederMilliamp: z.number().gt(0).max(5000),
  goal: z.enum(['level-now', 'level-when-full']),
});
const ProveAskSchema = z.object({
  topic: z.literal('prove'),
  beforeFindingId: z.uuid(),
  afterFindingId: z.uuid(),
  replacedModules: z.array(z.string().max(40)).max(200),
});
/** What to compute. A finding keeps this as its parameters, so that it can be computed again. */
export const NewFindingSchema = z.discriminatedUnion('topic', [
  SpreadAskSchema,
  InsulationAskSchema,
  MatchAskSchema,
  BalanceAskSchema,
  ProveAskSchema,
]);
export type NewFinding = z.infer<typeof NewFindingSchema>;

export type FindingTopic = NewFinding['topic'];
export type AskOf<T extends FindingTopic> = Extract<NewFinding, { topic: T }>;

const common = {
  id: z.uuid(),
  /** What of the job it is about: the role of a record, a module, a part; empty for the whole. */
  subject: z.string(),
  coreVersion: z.string(),
  /** Version of the pack profile it was computed with; null from before versions were kept. */
  profileVersion: z.int().nullable(),
  inputIds: z.array(z.uuid()),
  createdAt: z.string(),
};
/** Each topic with what it is asked by and what it answers: the one registry of findings. */
export const FindingSchema = z.discriminatedUnion('topic', [
  z.object({
    ...common,
    topic: z.literal('spread'),
    parameters: SpreadAskSchema,
    result: SpreadReportSchema,
  }),
  z.object({
    ...common,
    topic: z.literal('insulation'),
    parameters: InsulationAskSchema,
    result: InsulationReportSchema,
  }),
  z.object({
    ...common,
    topic: z.literal('match'),
    parameters: MatchAskSchema,
    result: z.array(MatchRowSchema),
  }),
  z.object({
    ...common,
    topic: z.literal('balance'),
    parameters: BalanceAskSchema,
    result: BalancePlanSchema,
  }),
  z.object({
    ...common,
    topic: z.literal('prove'),
    parameters: ProveAskSchema,
    result: ComparisonSchema,
  }),
]);
export type Finding = z.infer<typeof FindingSchema>;
export type FindingOf<T extends FindingTopic> = Extract<Finding, { topic: T }>;
export type ResultOf<T extends FindingTopic> = FindingOf<T>['result'];

/** What would be found; nothing of it is stored. */
export const TriedSchema = z.object({
  inputIds: z.array(z.uuid()),
  parameters: NewFindingSchema,
  result: z.union([
    SpreadReportSchema,
    InsulationReportSchema,
    z.array(MatchRowSchema),
    BalancePlanSchema,
    ComparisonSchema,
  ]),
});
export interface Tried<T extends FindingTopic> {
  inputIds: string[];
  parameters: AskOf<T>;
  result: ResultOf<T>;
}
export const RecomputedSchema = z.object({
  same: z.boolean(),
  storedVersion: z.string(),
  nowVersion: z.string(),
  result: TriedSchema.shape.result,
});

/** What the board and the route need of a finding, kept beside its whole result. */
export const FindingDigestSchema = z.object({
  headline: z.string(),
  /** Modules with something that is told apart. */
  suspects: z.array(z.string()),
  /** Sum of the settled voltages, V; 0 where none were read. */
  settledV: z.number(),
  /** Some channel or the whole pack below its floor. */
  low: z.boolean(),
  leak: z
    .object({
      title: z.string(),
      found: z.string().nullable(),
      packPassed: z.boolean(),
      suspected: z.boolean().optional(),
      /** A leak that left with its part. */
      before: z.string().optional(),
    })
    .nullable(),
  /** Whether a comparison is within its limits; null for anything else. */
  passed: z.boolean().nullable(),
});
export type FindingDigest = z.infer<typeof FindingDigestSchema>;
