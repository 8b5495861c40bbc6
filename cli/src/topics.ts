import { StripdownFileSchema } from '@cellmend/contract/stripdown';
import { leastWork } from '@cellmend/core/stripdown';
import { z } from 'zod';
import { readJson } from './insulation';

/** One object in, one object out: its shape, the function of the computation that answers, and a line for a person. */
interface Topic<I, O> {
  schema: z.ZodType<I>;
  says: string;
  run: (input: I) => O;
  /** The answer in a line or two, for a person. */
  tell: (answer: O) => string;
}
const topic = <I, O>(t: Topic<I, O>): Topic<unknown, unknown> => t as unknown as Topic<unknown, unknown>;

export const TOPICS: Record<string, Topic<unknown, unknown>> = {
  stripdown: topic({
    schema: StripdownFileSchema,
    says: 'the least work that takes the targets off',
    run: leastWork,
    tell: (a) =>
      `${a.order.join(', ')}\n${a.minutes} min${a.proved ? ', no order takes less' : `; none takes less than ${a.lowerBoundMin} min`}.`,
  }),
};

/** Runs a topic on a file. @throws InputProblem */
export function runTopic(
  name: string,
  options: { in?: string | undefined; json: boolean; schema: boolean },
): string {
  const t = TOPICS[name]!;
  if (options.schema)
    return JSON.stringify(z.toJSONSchema(t.schema, { io: 'input', unrepresentable: 'any' }), null, 1);
  const answer = t.run(readJson(options.in, t.schema, `cellmend ${name} --in FILE --json`));
  return options.json ? JSON.stringify(answer) : t.tell(answer);
}
