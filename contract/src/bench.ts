import { RECIPE_IDS } from '@cellmend/core/bench';
import { SCHOOLS } from '@cellmend/core/learn';
import { z } from 'zod';
import { ObservedAtSchema, shown } from './fields';
import { RecoveryAnswersSchema } from './supervised';

const figure = (most: number) => z.number().min(0).max(most).nullable();
const series = z.array(z.number().min(-1e9).max(1e9)).max(2000);
const place = z.string().trim().min(1).max(40);
/** Largest file of one run, bytes. */
export const MOST_RUN_BYTES = 60 * 1024 * 1024;

export const RunCourseSchema = z.object({
  timeS: series,
  currentA: series,
  voltageV: series,
  temperatureC: z.array(z.number().nullable()).max(2000).optional(),
});
export type RunCourse = z.infer<typeof RunCourseSchema>;
/** Part of a run: its readings, or two figures of each stretch of them, the lowest and the highest. */
export const RunPartSchema = z.object({
  timeS: z.array(z.number()),
  voltageV: z.array(z.number()),
  currentA: z.array(z.number()),
  temperatureC: z.array(z.number().nullable()).nullable(),
  stretch: z.int(),
});
export type RunPart = z.infer<typeof RunPartSchema>;

/** What is kept of a run. A capacity is what it gave down to its cut-off; a lower bound where it ended before. */
export const RunDataSchema = z.object({
  recipe: z.enum(RECIPE_IDS),
  version: z.int(),
  /** Typed, the file of a charger, or run by the bench itself. */
  from: z.enum(['hand', 'file', 'bench']),
  name: z.string().max(200),
  hours: figure(10_000),
  currentA: z.number().min(-5000).max(5000).nullable(),
  cutoffV: figure(2000),
  capacityAh: figure(20_000),
  lowerBound: z.boolean(),
  energyWh: figure(1e7),
  dropoutsAh: z.array(z.number()).max(400),
  startV: figure(2000),
  endV: z.number().min(-50).max(2000).nullable(),
  /** At its start, °C, and the warmest of it. */
  startC: z.number().min(-60).max(400).nullable().default(null),
  hottestC: z.number().min(-60).max(400).nullable(),
  r10sMilliohm: figure(1e6),
  note: z.string().max(2000),
  /** Of a supervised recovery that was run through: whether it held after. */
  held: z.boolean().nullable().default(null),
  /** What is said of it: gaps, limits that were crossed, which way it was counted. */
  says: z.array(z.string().max(400)).max(60),
  course: RunCourseSchema.nullable(),
  sha256: z.string().nullable(),
});
export type RunData = z.infer<typeof RunDataSchema>;

/** What else is on the bench, or waits for it, besides one job. */
export const BesideSchema = z.object({
  running: z.array(z.object({ job: z.int(), place: z.string(), leftH: z.number() })),
  /** Open jobs on packs of the same kind, with what of them is to be measured still. */
  alike: z.array(z.object({ job: z.int(), title: z.string(), places: z.array(z.string()) })),
  /** What each school of conditioning has brought in this workshop. */
  schools: z.array(
    z.object({
      school: z.enum(SCHOOLS),
      n: z.int(),
      median: z.number(),
      interval: z.object({ low: z.number(), high: z.number() }).nullable(),
    }),
  ),
});
export type Beside = z.infer<typeof BesideSchema>;

/** A run that somebody tended with a charger that logs nothing. */
export const NewRunSchema = z.object({
  place,
  recipe: z.enum(RECIPE_IDS),
  /** When it ended. */
  observedAt: ObservedAtSchema,
  hours: figure(1000).default(null),
  currentA: z.number().min(-5000).max(5000).nullable().default(null),
  cutoffV: figure(2000).default(null),
  capacityAh: figure(20_000).default(null),
  /** It came to its cut-off. */
  complete: z.boolean().default(true),
  /** Cells that were seen to run empty on the way: steps in the discharge. */
  dropouts: z.int().min(0).max(100).default(0),
  startV: figure(2000).default(null),
  endV: figure(2000).default(null),
  startC: z.number().min(-40).max(300).nullable().default(null),
  hottestC: z.number().min(-40).max(300).nullable().default(null),
  /** By a step of current, after ten seconds. */
  r10sMilliohm: figure(1e6).default(null),
  note: shown(2000).default(''),
  /** Of a recovery, whose `capacityAh` is what was put in: what was known of the module before it was tried. */
  recovery: RecoveryAnswersSchema.nullable().default(null),
});
export type NewRun = z.input<typeof NewRunSchema>;
export const RunFileQuerySchema = z.object({
  place,
  recipe: z.enum(RECIPE_IDS).default('capacity'),
  cutoffV: z.coerce.number().gt(0).max(2000),
  /** When it ended. */
  observedAt: ObservedAtSchema,
  name: z.string().trim().max(200).default(''),
});

/** A module that is left alone after its charge, to see what it loses. Its voltages are readings of its place from then on. */
export const HoldBeginSchema = z.object({
  /** How full it was charged; null where nobody knows. */
  socFraction: z.number().min(0).max(1).nullable(),
  /** What it holds; null: by its rating. */
  capacityAh: figure(20_000),
});
export const NewHoldSchema = z.object({
  place,
  observedAt: ObservedAtSchema,
  socFraction: HoldBeginSchema.shape.socFraction.default(null),
  capacityAh: HoldBeginSchema.shape.capacityAh.default(null),
});
export type NewHold = z.input<typeof NewHoldSchema>;
/** A plan of days that somebody goes by: what of this job is on it, and when the last of it is to be over. */
export const PlanDataSchema = z.object({ sets: z.array(place).min(1).max(60), endsAt: z.iso.datetime() });
export const NewPlanSchema = PlanDataSchema.extend({ observedAt: ObservedAtSchema });
export type NewPlan = z.input<typeof NewPlanSchema>;
export const NotRunSchema = z.object({ reason: z.string().trim().min(1, 'A few words.').max(500) });

export const RunSchema = RunDataSchema.extend({
  id: z.uuid(),
  place: z.string(),
  by: z.string(),
  at: z.string(),
});
export type Run = z.infer<typeof RunSchema>;
export const HoldSchema = HoldBeginSchema.extend({
  id: z.uuid(),
  place: z.string(),
  by: z.string(),
  at: z.string(),
});
export const BenchViewSchema = z.object({
  /** As they ended, oldest first. */
  runs: z.array(RunSchema),
  /** The newest of each place. */
  holds: z.array(HoldSchema),
  /** Capacity measured of each module that stands in the pack, A·h, by its place. */
  measuredAloneAh: z.record(z.string(), z.number()),
});
export type BenchView = z.infer<typeof BenchViewSchema>;
