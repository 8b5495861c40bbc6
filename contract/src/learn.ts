import { WAS } from '@cellmend/core/learn';
import { z } from 'zod';
import { ObservedAtSchema } from './fields';
import { StageSchema } from './jobs';

const verdict = z.string().min(1).max(40);
const place = z.string().trim().min(1).max(60);

/** What a verdict turned out to be once somebody looked, as it is kept. */
export const OutcomeDataSchema = z.object({
  verdict,
  was: z.enum(WAS),
  /** How sure the verdict was said to be when it was looked at; null where it was not said. */
  confidence: z.number().min(0).max(1).nullable(),
  /** What it was instead, or how it showed. */
  found: z.string().max(300),
});
export type OutcomeData = z.infer<typeof OutcomeDataSchema>;
export const NewOutcomeSchema = z.object({
  place,
  verdict,
  was: z.enum(WAS),
  found: z.string().trim().max(300).default(''),
  stage: StageSchema,
  observedAt: ObservedAtSchema,
});
export type NewOutcome = z.input<typeof NewOutcomeSchema>;
/** A verdict of a job, and what it turned out to be; null while nobody has said. */
export const ClaimSchema = z.object({
  place,
  verdict,
  confidence: z.number().nullable(),
  outcome: z.object({ was: z.enum(WAS), found: z.string(), by: z.string(), at: z.string() }).nullable(),
});
export type Claim = z.infer<typeof ClaimSchema>;

export const ShareSchema = z.object({
  n: z.int(),
  hits: z.int(),
  value: z.number(),
  low: z.number(),
  high: z.number(),
});
/** What this workshop’s own jobs say of its verdicts, repairs and forecasts. */
export const LookingBackSchema = z.object({
  verdicts: z.array(z.object({ verdict, share: ShareSchema })),
  unclear: z.int(),
  calibration: z.object({
    bins: z.array(z.object({ from: z.number(), to: z.number(), said: z.number(), was: ShareSchema })),
    error: z.number().nullable(),
  }),
  endings: z.record(z.string(), z.int()),
  /** Repaired, and back within a year: opened again, or another job on the same pack. */
  back: ShareSchema.nullable(),
  backBy: z.array(z.object({ measure: z.string(), share: ShareSchema })),
  backJobs: z.array(z.object({ job: z.int(), title: z.string(), why: z.string() })),
  donors: z.array(z.object({ origin: z.string(), back: ShareSchema })),
  /** Minutes of strip down against what was foretold. */
  minutes: z.object({ n: z.int(), ratio: z.number(), low: z.number(), high: z.number() }).nullable(),
  /** The same of other things that were foretold: what it was, and in which unit the page need not know. */
  forecasts: z.array(
    z.object({
      what: z.enum(['bench hours', 'bench days', 'charge to level', 'charge after repair', 'quote']),
      n: z.int(),
      ratio: z.number(),
      low: z.number(),
      high: z.number(),
    }),
  ),
  models: z.array(
    z.object({
      profileId: z.uuid(),
      name: z.string(),
      jobs: z.int(),
      places: z.array(z.object({ place, share: ShareSchema })),
    }),
  ),
});
export type LookingBack = z.infer<typeof LookingBackSchema>;
