import { InputProblem } from '@cellmend/core/pack';
import { parseArgs } from 'node:util';
import { insulation, split } from './insulation';
import { spread } from './spread';
import { runTopic, TOPICS } from './topics';

const USAGE = `cellmend <topic> [options]
  spread --pack pack.json --scan scan.csv [--json]            what is wrong with which channel
  insulation --pack pack.json --in observations.json [--json] where a leak sits, judged by its limits
  split --in problem.json [--json]                            which section to separate and test next
${Object.entries(TOPICS)
  .map(([name, t]) => `  ${`${name} --in FILE [--json | --schema]`.padEnd(58)}  ${t.says}`)
  .join('\n')}`;

/** What a run came to: exit 0 with a result, 2 with a clear message for bad input. */
export interface Ended {
  status: 0 | 2;
  stdout: string;
  stderr: string;
}

export async function run([topic, ...rest]: string[]): Promise<Ended> {
  try {
    const { values } = parseArgs({
      args: rest,
      options: {
        pack: { type: 'string' },
        scan: { type: 'string' },
        in: { type: 'string' },
        json: { type: 'boolean', default: false },
        schema: { type: 'boolean', default: false },
      },
    });
    const topics: Record<string, () => string | Promise<string>> = {
      spread: () => spread({ pack: values.pack, scan: values.scan ?? values.in, json: values.json }),
      insulation: () => insulation(values),
      split: () => split(values),
      ...Object.fromEntries(Object.keys(TOPICS).map((name) => [name, () => runTopic(name, values)])),
    };
    const work = topic !== undefined && Object.hasOwn(topics, topic) ? topics[topic] : undefined;
    if (!work)
      throw new InputProblem('topic', topic ? `There is no topic ${topic}.` : 'No topic given.', '', USAGE);
    return { status: 0, stdout: `${await work()}\n`, stderr: '' };
  } catch (e) {
    if (
      !(e instanceof InputProblem) &&
      (e as { code?: string }).code !== 'ERR_PARSE_ARGS_UNKNOWN_OPTION' &&
      (e as { code?: string }).code !== 'ERR_PARSE_ARGS_UNEXPECTED_POSITIONAL' &&
      (e as { code?: string }).code !== 'ERR_PARSE_ARGS_INVALID_OPTION_VALUE'
    )
      throw e;
    const says = e instanceof InputProblem ? e.message : `${(e as Error).message}\n${USAGE}`;
    return { status: 2, stdout: '', stderr: `${says}\n` };
  }
}
