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

/** Turns Zod's issues into a problem document's fields. */
export const fieldsOf = (error: z.ZodError): NonNullable<Problem['fields']> =>
  error.issues.map((i) => ({ field: i.path.map(String).join('.') || '(body)', message: i.message }));
