import { RECIPE_IDS } from '@cellmend/core/bench';
import { z } from 'zod';
import { OutputSchema, RUN_STATES } from './instruments';

/** What is known of an over-discharged module before a recovery is tried; null: nobody knows. */
export const RecoveryAnswersSchema = z.object({
  emptyDays: z.number().min(0).max(20_000).nullable(),
  ageYears: z.number().min(0).max(60).nullable(),
  swollen: z.boolean().nullable(),
  leaked: z.boolean().nullable(),
  outdoors: z.boolean(),
  somebodyStays: z.boolean(),
});
export type RecoveryAnswers = z.infer<typeof RecoveryAnswersSchema>;

/** A recipe on a module, run by an instrument of the workshop and watched by the server. */
export const StartRunSchema = z.object({
  place: z.string().trim().min(1).max(40),
  recipe: z.enum(RECIPE_IDS),
  instrumentId: z.uuid(),
  /** Leads the right way round, sensor on the module, air moving, nothing near it that burns. */
  looked: z.literal(true, 'Look at it first: leads, sensor, air, nothing near it that burns.'),
  recovery: RecoveryAnswersSchema.nullable().default(null),
});
export type StartRun = z.input<typeof StartRunSchema>;
/** An interrupted run goes on from what was logged, on the same instrument or another. */
export const ResumeRunSchema = z.object({
  instrumentId: z.uuid(),
  looked: StartRunSchema.shape.looked,
});
/** One module emptied into another, each on its own channel: whichever comes to its end ends both. */
export const StartTransferSchema = z.object({
  from: StartRunSchema.shape.place,
  into: StartRunSchema.shape.place,
  giveWithId: z.uuid(),
  takeWithId: z.uuid(),
  looked: StartRunSchema.shape.looked,
});
export type StartTransfer = z.input<typeof StartTransferSchema>;
/** A pack that is asleep, trickled at its own terminals until it answers. */
export const StartWakeSchema = z.object({
  instrumentId: z.uuid(),
  looked: StartRunSchema.shape.looked,
  recovery: RecoveryAnswersSchema,
});
export type StartWake = z.input<typeof StartWakeSchema>;
export const StopRunSchema = z.object({ reason: z.string().trim().max(300).default('') });

export const SupervisedRunSchema = z.object({
  id: z.uuid(),
  place: z.string(),
  recipe: z.enum(RECIPE_IDS),
  recipeName: z.string(),
  instrument: z.string(),
  instrumentId: z.uuid(),
  simulated: z.boolean(),
  state: z.enum(RUN_STATES),
  output: OutputSchema,
  /** It is a run of the record, with its readings. */
  kept: z.boolean(),
  why: z.string(),
  by: z.string(),
  startedAt: z.string(),
  endedAt: z.string().nullable(),
  /** Steps of the recipe and the one it is in, counted from 0. */
  steps: z.array(z.string()),
  step: z.int(),
  mode: z.enum(['rest', 'charge', 'discharge']),
  cools: z.boolean(),
  /** What ends the step, in words. */
  ends: z.string(),
  reading: z
    .object({ voltageV: z.number(), currentA: z.number(), temperatureC: z.number().nullable() })
    .nullable(),
  runS: z.number(),
  outAh: z.number(),
  inAh: z.number(),
  /** When the step ends at the latest, or likely, for a clock that runs with the instrument's; null at rest of a finished run. */
  stepLeftS: z.number().nullable(),
  /** The same of the whole run: what its steps usually take. */
  runLeftS: z.number().nullable(),
  /** How much faster than time a simulated instrument runs. */
  timeScale: z.number(),
  /** Volts so far: lowest and highest of each stretch, no peak lost. */
  course: z.array(z.tuple([z.number(), z.number(), z.number()])),
});
export type SupervisedRun = z.infer<typeof SupervisedRunSchema>;
export const SupervisedViewSchema = z.array(SupervisedRunSchema);
export type SupervisedView = z.infer<typeof SupervisedViewSchema>;
