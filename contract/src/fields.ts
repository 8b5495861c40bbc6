import { z } from 'zod';

/** No reading is older than the trade, nor taken after tomorrow: a clock that is that wrong is a slip. */
const OLDEST_MS = Date.UTC(2000, 0, 1);
const AHEAD_MS = 36 * 3_600_000;
export const ObservedAtSchema = z.iso
  .datetime({ offset: true, error: 'A date and time such as 2026-03-01T09:12:00Z.' })
  .refine(
    (t) => Date.parse(t) >= OLDEST_MS && Date.parse(t) <= Date.now() + AHEAD_MS,
    'A time between the year 2000 and tomorrow: is the clock of this tablet right?',
  );
/** A character that no keyboard types and that no page can show. */
const isControl = (c: string): boolean => {
  const code = c.charCodeAt(0);
  return (code < 32 && c !== '\n' && c !== '\r' && c !== '\t') || code === 127;
};
/** Text as somebody typed it. */
export const shown = (most: number) =>
  z
    .string()
    .trim()
    .max(most)
    .refine((t) => ![...t].some(isControl), 'Text without control characters.');

/** A span of a record, s; all of it where nothing is said. */
export const SpanSchema = z.object({
  fromS: z.coerce.number().optional(),
  toS: z.coerce.number().optional(),
});
