import { z } from 'zod';
import { HoldBeginSchema, PlanDataSchema, RunDataSchema } from './bench';
import { InsulationObservationSchema } from './insulation';
import { OutcomeDataSchema } from './learn';
import {
  BoardMeteredSchema,
  BOUNDS,
  BusTraceSchema,
  LeakTestSchema,
  READING_KINDS,
  WakeSchema,
  type ObservationTopic,
} from './records';
import { RecordMomentSchema } from './scans';
import { NoPhotoSchema, PhotoDataSchema } from './photos';
import { QuoteDataSchema } from './quotes';
import { CheckIdSchema } from './jobs';
import { StepDataSchema } from './safety';
import { OpenPointDataSchema, TickDataSchema } from './stripdown';

/** The count of the machine that an entry was made on, beside its clock. */
const boot = z.object({ id: z.string(), upS: z.number() }).optional();
const figure = z.number().min(-1e15).max(1e15).nullable();
const beside: Record<string, z.ZodType> = {
  begin: z.object({ hazards: z.array(z.string()), rulesVersion: z.int().optional(), boot }),
  close: z.object({ reason: z.string(), note: z.string(), boot }),
  watch: z.object({ everyMin: z.number(), leastHours: z.number(), why: z.string(), boot }),
  'watch-end': z.object({ reason: z.string(), byRule: z.boolean(), boot }),
};
/** A step of the lock-out, with the machine's own count beside it. */
const step = z.custom<object>((v) => {
  if (typeof v !== 'object' || v === null) return false;
  const { boot: count, ...data } = v as Record<string, unknown>;
  return boot.safeParse(count).success && StepDataSchema.safeParse(data).success;
}, 'A step of the lock-out.');

/**
 * What an observation of a topic and kind holds: the one registry of shapes in the one store. Null where the topic has
 * no such kind.
 */
export function observationSchema(topic: ObservationTopic, kind: string): z.ZodType | null {
  switch (topic) {
    case 'reading':
      return (READING_KINDS as readonly string[]).includes(kind)
        ? z.object({
            value: figure,
            text: z.string().max(2000),
            bound: z.enum(BOUNDS).optional(),
            temperatureC: z.number().min(-60).max(900).nullable().optional(),
            undated: z.literal(true).optional(),
          })
        : null;
    case 'make-safe':
      return beside[kind] ?? step;
    case 'insulation':
      return InsulationObservationSchema;
    case 'strip-down':
      return kind === 'tick' ? TickDataSchema : null;
    case 'quote':
      return kind === 'given' ? QuoteDataSchema : null;
    case 'bench':
      return kind === 'run'
        ? RunDataSchema
        : kind === 'hold-begin'
          ? HoldBeginSchema
          : kind === 'plan'
            ? PlanDataSchema
            : kind === 'withdrawn'
              ? z.object({})
              : null;
    case 'outcome':
      return kind === 'opened' ? OutcomeDataSchema : null;
    case 'record':
      return kind === 'moment' ? RecordMomentSchema : null;
    case 'open-point':
      return kind === 'found' || kind === 'mended' ? OpenPointDataSchema : null;
    case 'photo':
      return kind === 'taken' ? PhotoDataSchema : kind === 'withdrawn' ? NoPhotoSchema : null;
    case 'work':
      return CheckIdSchema.safeParse(kind).success
        ? z.object({
            passed: z.boolean(),
            value: figure,
            text: z.string().max(2000),
            left: z.array(z.string().max(80)).max(6).optional(),
            wake: WakeSchema.optional(),
            leak: LeakTestSchema.optional(),
            bus: BusTraceSchema.optional(),
            board: BoardMeteredSchema.optional(),
            found: z
              .object({ state: z.enum(['pass', 'hold', 'fail', 'open']), says: z.string().max(1200) })
              .optional(),
          })
        : null;
  }
}
