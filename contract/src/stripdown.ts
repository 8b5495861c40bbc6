import { z } from 'zod';

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
