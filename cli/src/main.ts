import { InputProblem } from '@cellmend/core/pack';
import { parseArgs } from 'node:util';
import { spread } from './spread';

const USAGE =
  'cellmend <topic> [options]\n  spread --pack pack.json --scan scan.csv [--json]   what is wrong with which channel';

/** Exit 0 with a result, 2 with a clear message for bad input. */
async function run(): Promise<number> {
  const [topic, ...rest] = process.argv.slice(2);
  try {
    const { values } = parseArgs({
      args: rest,
      options: {
        pack: { type: 'string' },
        scan: { type: 'string' },
        in: { type: 'string' },
        json: { type: 'boolean', default: false },
      },
    });
    if (topic !== 'spread')
      throw new InputProblem('topic', topic ? `There is no topic ${topic}.` : 'No topic given.', '', USAGE);
    process.stdout.write(
      `${await spread({ pack: values.pack, scan: values.scan ?? values.in, json: values.json })}\n`,
    );
    return 0;
  } catch (e) {
    if (
      !(e instanceof InputProblem) &&
      (e as { code?: string }).code !== 'ERR_PARSE_ARGS_UNKNOWN_OPTION' &&
      (e as { code?: string }).code !== 'ERR_PARSE_ARGS_UNEXPECTED_POSITIONAL' &&
      (e as { code?: string }).code !== 'ERR_PARSE_ARGS_INVALID_OPTION_VALUE'
    )
      throw e;
    process.stderr.write(`${e instanceof InputProblem ? e.message : `${(e as Error).message}\n${USAGE}`}\n`);
    return 2;
  }
}
process.exitCode = await run();
