import { CHEMISTRIES } from '@cellmend/core/pack';
import { z } from 'zod';

/** A figure that readings support, or the word that nobody measured it (`core/measured`). */
export const MeasuredSchema = z.discriminatedUnion('measured', [
  z.object({
    measured: z.literal(true),
    value: z.number(),
    low: z.number(),
    high: z.number(),
    from: z.string(),
  }),
  z.object({ measured: z.literal(false), why: z.string(), test: z.string() }),
]);
export const EstimatedSchema = z.object({ value: z.number(), sd: z.number().nonnegative() });
export const IntervalSchema = z.object({ value: z.number(), low: z.number(), high: z.number() });
/** A position in a list of channels, modules or sections. */
export const index = z.int().nonnegative();
export const fraction = z.number().min(0).max(1);
export const chemistry = z.enum(CHEMISTRIES);
