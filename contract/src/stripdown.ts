import { OPEN_POINTS } from '@cellmend/core/stripdown';
import { z } from 'zod';
import { ObservedAtSchema } from './fields';
import { StageSchema } from './jobs';

// Shapes of the command line and of what pages send to the computation of strip down.

const id = z.string().trim().min(1).max(60);
const minutes = z.number().min(0).max(100_000);

export const StripdownFileSchema = z.object({
  parts: z
    .array(
      z.object({
        id,
        minutes,
        tool: z.string().max(60).nullish(),
        massKg: z.number().min(0).max(10_000).nullish(),
        after: z.array(z.array(id).max(400)).max(40).default([]),
      }),
    )
    .min(1)
    .max(400),
  targets: z.array(id).max(400),
  toolChangeMin: minutes.default(0),
});

/** A part of the build that was taken off, or put on again with what its joint measured. */
export const TickDataSchema = z.object({
  part: id,
  off: z.boolean(),
  /** How long it took; null where nobody says. */
  minutes: z.number().min(0).max(1440).nullable(),
  torqueNm: z.number().gt(0).max(1000).nullable(),
  microohm: z.number().min(0).max(1e6).nullable(),
  note: z.string().max(500),
  /** Stages of a connector that were seen or heard to close, in their order. */
  confirmed: z.array(z.string().max(120)).max(4).optional(),
  /** Takes the last tick of this part back: it was not done. */
  mistake: z.boolean().optional(),
});
export type TickData = z.infer<typeof TickDataSchema>;
export const NewTickSchema = TickDataSchema.extend({
  minutes: TickDataSchema.shape.minutes.default(null),
  torqueNm: TickDataSchema.shape.torqueNm.default(null),
  microohm: TickDataSchema.shape.microohm.default(null),
  /** Why it was done out of order, where it was. */
  note: z.string().trim().max(500).default(''),
  observedAt: ObservedAtSchema,
});
export type NewTick = z.input<typeof NewTickSchema>;
export const StripTickSchema = TickDataSchema.extend({ id: z.uuid(), by: z.string(), at: z.string() });
export type StripTick = z.infer<typeof StripTickSchema>;
export const StripViewSchema = z.object({
  /** In the order in which it was done. */
  ticks: z.array(StripTickSchema),
  /** What this workshop's own times say of the parts of this profile. */
  seen: z.record(
    z.string(),
    z.object({ n: z.int(), medianMin: z.number(), lowMin: z.number(), highMin: z.number() }),
  ),
});
export type StripView = z.infer<typeof StripViewSchema>;

export const OpenPointDataSchema = z.object({
  what: z.enum(OPEN_POINTS),
  text: z.string().max(500),
});
export type OpenPointData = z.infer<typeof OpenPointDataSchema>;
export const NewOpenPointSchema = z
  .object({
    what: z.enum(OPEN_POINTS),
    place: id.or(z.literal('')).default(''),
    text: z.string().trim().max(500).default(''),
    stage: StageSchema,
    observedAt: ObservedAtSchema,
  })
  .refine((p) => p.what !== 'other' || p.text !== '', {
    path: ['text'],
    message: 'A few words: what it is.',
  });
export type NewOpenPoint = z.input<typeof NewOpenPointSchema>;
/** How it was put right; it stays in the record. */
export const MendedSchema = z.object({ how: z.string().trim().min(3, 'A few words: how.').max(500) });
export const OpenPointSchema = z.object({
  id: z.uuid(),
  what: z.enum(OPEN_POINTS),
  place: z.string(),
  text: z.string(),
  by: z.string(),
  at: z.string(),
  mended: z.object({ how: z.string(), by: z.string(), at: z.string() }).nullable(),
});
export type OpenPoint = z.infer<typeof OpenPointSchema>;
