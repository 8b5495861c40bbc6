import { MEASURE_KINDS } from '@cellmend/core/route';
import { z } from 'zod';
import { ObservedAtSchema, shown } from './fields';

const figure = z.number().min(0).max(1e9);
const SpanSchema = z
  .object({ low: figure, likely: figure, high: figure })
  .refine((s) => s.low <= s.likely && s.likely <= s.high, 'Least, likely, most: in their order.');
export const QuoteOptionSchema = z.object({
  name: shown(80).refine((n) => n !== '', 'A name.'),
  /** What it is, and what it takes: a line for the owner. */
  says: shown(300).default(''),
  cost: SpanSchema,
  /** Null where nobody can say: nothing is printed then. */
  rangeKm: SpanSchema.nullable().default(null),
  yearsLeft: SpanSchema,
  /** Calendar days until the vehicle is ready; null where nobody can say. */
  readyDays: SpanSchema.nullable().default(null),
  comebackProbability: z.number().min(0).max(1),
  comebackCost: SpanSchema,
  /** What would be done: it becomes the list to be signed once it is chosen. Empty where nobody said. */
  measures: z
    .array(z.object({ kind: z.enum(MEASURE_KINDS), place: z.string().trim().max(40) }))
    .max(200)
    .default([]),
});
/** What the owner can choose between, with figures that the workshop stands for. */
export const NewQuoteSchema = z
  .object({
    horizonYears: z.number().min(0.1).max(40),
    distanceKmPerYear: z.number().min(0).max(500_000),
    options: z.array(QuoteOptionSchema).min(2).max(12),
    /** Last day on which it stands. */
    validUntil: z.iso.date(),
    note: shown(1000).default(''),
    /** What the owner chose; null while nobody has. */
    chosen: z.string().max(80).nullable().default(null),
    observedAt: ObservedAtSchema,
  })
  .refine((q) => new Set(q.options.map((o) => o.name)).size === q.options.length, {
    path: ['options'],
    message: 'Each option with a name of its own.',
  })
  .refine((q) => q.chosen === null || q.options.some((o) => o.name === q.chosen), {
    path: ['chosen'],
    message: 'One of the options.',
  });
export type NewQuote = z.input<typeof NewQuoteSchema>;

const TenthsSchema = z.object({ p10: z.number(), p50: z.number(), p90: z.number() });
const KeptOptionSchema = QuoteOptionSchema.extend({ costPerYear: TenthsSchema, chanceCheapest: z.number() });
export const QuoteDataSchema = z.object({
  horizonYears: z.number(),
  distanceKmPerYear: z.number(),
  options: z.array(KeptOptionSchema),
  validUntil: z.string(),
  note: z.string(),
  chosen: z.string().nullable(),
  draws: z.int(),
  seed: z.int(),
});
export type QuoteData = z.infer<typeof QuoteDataSchema>;
export const QuoteSchema = QuoteDataSchema.extend({ id: z.uuid(), by: z.string(), at: z.string() });
export type Quote = z.infer<typeof QuoteSchema>;

/** A used pack that was appraised in another job, as an option for the owner of this vehicle. */
export const UsedPackOfferSchema = z.object({
  job: z.int(),
  title: z.string(),
  verdict: z.enum(['buy', 'at most', 'cannot tell yet']),
  /** All that it comes to, deposit, freight and own hours included. */
  cost: SpanSchema,
  yearsLeft: SpanSchema,
});
export type UsedPackOffer = z.infer<typeof UsedPackOfferSchema>;
