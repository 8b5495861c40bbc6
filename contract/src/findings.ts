import { z } from 'zod';

const volt = z.number().gt(0).max(10);
/** What to compute. A finding keeps this as its parameters, so that it can be computed again. */
export const NewFindingSchema = z.discriminatedUnion('topic', [
  z.object({
    topic: z.literal('spread'),
    role: z.enum(['before', 'after']),
    /** Several records are put on one time line. */
    scanIds: z.array(z.uuid()).min(1).max(20),
    /** Voltages metered at the terminals of channels since. */
    readingIds: z.array(z.uuid()).max(500).default([]),
  }),
  z.object({
    topic: z.literal('insulation'),
    observationIds: z.array(z.uuid()).max(500),
    /** The scan whose voltages place the leak; null: all modules alike. */
    spreadFindingId: z.uuid().nullable(),
    /** Voltages typed at modules and channels: where one stands low is a hint. */
    readingIds: z.array(z.uuid()).max(1000).default([]),
  }),
  z.object({
    topic: z.literal('match'),
    spreadFindingId: z.uuid(),
    moduleId: z.string().min(1).max(40),
    stockIds: z.array(z.uuid()).min(1).max(200),
    temperatureC: z.number().min(-40).max(80).nullable(),
  }),
  z.object({
    topic: z.literal('balance'),
    spreadFindingId: z.uuid(),
    stockId: z.uuid(),
    packCellVoltageV: volt,
    currentA: z.number().gt(0).max(500),
    bleederMilliamp: z.number().gt(0).max(5000),
    goal: z.enum(['level-now', 'level-when-full']),
  }),
  z.object({
    topic: z.literal('prove'),
    beforeFindingId: z.uuid(),
    afterFindingId: z.uuid(),
    replacedModules: z.array(z.string().max(40)).max(200),
  }),
]);
export type NewFinding = z.infer<typeof NewFindingSchema>;

/** What the board and the route need of a finding, kept beside its whole result. */
export const FindingDigestSchema = z.object({
  headline: z.string(),
  /** Modules with something that is told apart. */
  suspects: z.array(z.string()),
  /** Sum of the settled voltages, V; 0 where none were read. */
  settledV: z.number(),
  /** Some channel or the whole pack below its floor. */
  low: z.boolean(),
  leak: z.object({ title: z.string(), found: z.string().nullable(), packPassed: z.boolean() }).nullable(),
  /** Whether a comparison is within its limits; null for anything else. */
  passed: z.boolean().nullable(),
});
export type FindingDigest = z.infer<typeof FindingDigestSchema>;
