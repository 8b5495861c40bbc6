import { z } from 'zod';

/** RFC 9457 problem document. `fields` names each wrong field and what would be accepted. */
export const ProblemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.int(),
  detail: z.string(),
  where: z.string().optional(),
  accepted: z.string().optional(),
  fields: z.array(z.object({ field: z.string(), message: z.string() })).optional(),
  /** For a 409: the version that is stored now. */
  current: z.unknown().optional(),
});
export type Problem = z.infer<typeof ProblemSchema>;

/** What was typed, told in the trade's words and not in those of a program. A message of our own stays as it is. */
function plainly(i: z.core.$ZodIssue): string {
  const number = (v: unknown): string => (typeof v === 'bigint' ? String(v) : `${v as number}`);
  switch (i.code) {
    case 'invalid_type':
      if (!i.message.startsWith('Invalid input')) return i.message;
      return /received (?:undefined|null|NaN)/.test(i.message)
        ? `${i.expected === 'number' || i.expected === 'int' ? 'A number' : 'Something'} is missing.`
        : `${{ number: 'A number', int: 'A whole number', string: 'Text', boolean: 'Yes or no', array: 'A list' }[i.expected as string] ?? 'Something else'} goes here.`;
    case 'too_small':
      if (!i.message.startsWith('Too small')) return i.message;
      if (i.origin === 'string')
        return Number(i.minimum) === 1
          ? 'Something has to stand here.'
          : `At least ${number(i.minimum)} characters.`;
      if (i.origin === 'array' || i.origin === 'set') return `At least ${number(i.minimum)} of them.`;
      return i.inclusive ? `At least ${number(i.minimum)}.` : `More than ${number(i.minimum)}.`;
    case 'too_big':
      if (!i.message.startsWith('Too big')) return i.message;
      if (i.origin === 'string') return `At most ${number(i.maximum)} characters.`;
      if (i.origin === 'array' || i.origin === 'set') return `At most ${number(i.maximum)} of them.`;
      return i.inclusive ? `At most ${number(i.maximum)}.` : `Less than ${number(i.maximum)}.`;
    case 'invalid_value':
      return i.message.startsWith('Invalid')
        ? `One of ${i.values.map(String).slice(0, 8).join(', ')}.`
        : i.message;
    default:
      return i.message;
  }
}

/** Turns Zod's issues into a problem document's fields. */
export const fieldsOf = (error: z.ZodError): NonNullable<Problem['fields']> =>
  error.issues.map((i) => ({ field: i.path.map(String).join('.') || '(body)', message: plainly(i) }));
