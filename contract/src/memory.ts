import { z } from 'zod';

const count = z.int().min(0).max(1_000_000);
const label = z.string().trim().min(1).max(120);
const places = z.record(z.string().min(1).max(60), count);
const middle = z.number().min(0).max(10_000).nullable();

/** What jobs on one kind of pack came to: counts alone. Of version 1 there are no leaks, ways in and donors. */
export const ModelMemorySchema = z.strictObject({
  model: label,
  chemistry: z.string().regex(/^[a-z]{2,8}$/),
  modules: z.int().min(1).max(500),
  jobs: count,
  places,
  leaks: places.default({}),
  ways: z.record(z.string().min(1).max(80), count).default({}),
  waysKnown: z.int().min(0).max(60).default(0),
  donors: z
    .record(z.string().min(1).max(40), z.strictObject({ fitted: count, replaced: count }))
    .refine((d) => Object.values(d).every((n) => n.replaced <= n.fitted), 'no more replaced than fitted')
    .default({}),
  verdicts: z.record(z.string().min(1).max(40), z.strictObject({ confirmed: count, refuted: count })),
  healthy: z.strictObject({ n: count, nearFullMv: middle, nearEmptyMv: middle }),
});

/** A workshop's memory as it is handed on. Strict: what is not named here, such as a plate or a name, is not taken in. */
export const MemoryFileSchema = z.strictObject({
  format: z.literal('cellmend-workshop-memory'),
  version: z.union([z.literal(1), z.literal(2)]),
  madeOn: z.iso.date(),
  models: z.array(ModelMemorySchema).max(500),
});
export type MemoryFile = z.infer<typeof MemoryFileSchema>;

export const SharedMemorySchema = z.object({ name: label, file: MemoryFileSchema });
export const MemorySwitchSchema = z.object({ on: z.boolean() });
export const MemoryViewSchema = z.object({
  /** Whether it is weighed in beside what the readings say. */
  on: z.boolean(),
  own: z.array(ModelMemorySchema),
  shared: z.array(
    z.object({
      id: z.uuid(),
      name: z.string(),
      madeOn: z.string(),
      takenIn: z.string(),
      models: z.int(),
      jobs: z.int(),
    }),
  ),
});
export type MemoryView = z.infer<typeof MemoryViewSchema>;
/** What is remembered of the pack of one job, here and by those who shared theirs; null where nothing is. */
export const MemoryHereSchema = z.object({
  on: z.boolean(),
  model: ModelMemorySchema.nullable(),
  /** How likely each module is the next to fail, by its place, shrunk towards all alike; they sum to 1. */
  weights: z.record(z.string(), z.number()),
  /** The same of leaks, and of the ways in that the profile knows. */
  leakWeights: z.record(z.string(), z.number()),
  wayWeights: z.record(z.string(), z.number()),
});
export type MemoryHere = z.infer<typeof MemoryHereSchema>;
