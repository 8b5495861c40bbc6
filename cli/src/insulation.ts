import { InsulationFileSchema, SplitFileSchema } from '@cellmend/contract/insulation';
import { fieldsOf } from '@cellmend/contract/problem';
import {
  expectedOf,
  halving,
  insulationReport,
  lowestTyped,
  missingRuns,
  oneByOne,
  planSplit,
} from '@cellmend/core/insulation';
import { factsOf, InputProblem } from '@cellmend/core/pack';
import { readFileSync } from 'node:fs';
import type { z } from 'zod';
import { readPack } from './spread';

/** Reads and checks a JSON file. @throws InputProblem */
export function readJson<T>(path: string | undefined, schema: z.ZodType<T>, usage: string): T {
  if (!path) throw new InputProblem('usage', '--in names the file to read.', '', usage);
  let body: unknown;
  try {
    body = JSON.parse(readFileSync(path, 'utf8'));
  } catch (e) {
    throw new InputProblem('file', `${path} cannot be read: ${(e as Error).message}`, path, 'A JSON file.');
  }
  const parsed = schema.safeParse(body);
  if (!parsed.success)
    throw new InputProblem(
      'shape',
      fieldsOf(parsed.error)
        .slice(0, 4)
        .map((f) => `${f.field}: ${f.message}`)
        .join(' · '),
      path,
      usage,
    );
  return parsed.data;
}

const plain = (value: unknown): string =>
  JSON.stringify(value, (_k, v: unknown) => (v === Infinity ? null : v));

/** `cellmend insulation --pack pack.json --in observations.json [--json]` */
export function insulation(options: {
  pack?: string | undefined;
  in?: string | undefined;
  json: boolean;
}): string {
  const usage = 'cellmend insulation --pack pack.json --in observations.json --json';
  if (!options.pack) throw new InputProblem('usage', 'insulation needs --pack and --in.', '', usage);
  const pack = readPack(options.pack);
  const file = readJson(options.in, InsulationFileSchema, usage);
  if (file.moduleV && file.moduleV.length !== pack.modules.length)
    throw new InputProblem(
      'shape',
      `moduleV has ${file.moduleV.length} values, the pack ${pack.modules.length} modules.`,
      options.in!,
      'One voltage a module.',
    );
  // Without voltages of their own the modules share what was measured, or their nominal voltage, by their groups.
  const measured = [...file.observations].reverse().find((o) => o.kind === 'poles')?.packV;
  const perGroup = measured ? measured / pack.groups.length : factsOf(pack.profile.chemistry).cell.nominalV;
  const moduleV = file.moduleV ?? pack.modules.map((m) => m.groupIndices.length * perGroup);
  // Where voltages are given, a module that stands low is a hint.
  const lowestMv =
    file.moduleV &&
    lowestTyped(
      pack,
      pack.modules.map((m, i) => ({ place: m.id, voltageV: file.moduleV![i]! })),
    );
  const report = insulationReport(pack, file.observations, { moduleV, lowestMv });
  const { coverage } = report;
  if (options.json) return plain({ ...report, packPassed: coverage?.complete === true });
  const likely = [...report.modules].sort((a, b) => b.probability - a.probability).slice(0, 4);
  return [
    `${report.title}. ${report.text}`.trim(),
    ...likely.map(
      (m) =>
        `  ${pack.modules[m.moduleIndex]!.id.padEnd(6)} ${(m.probability * 100).toFixed(0).padStart(3)} %  ${m.state}`,
    ),
    ...report.tests.map((t) => `  ${t.label}: ${t.result.verdict}. ${t.result.reasons.join(' ')}`),
    ...(coverage && report.tests.length > 0
      ? [coverage.complete ? 'Proven: every module.' : `Not proven yet: ${missingRuns(pack, coverage)}.`]
      : []),
    `Next: ${report.next.text}`,
  ].join('\n');
}

/** `cellmend split --in problem.json [--json]` */
export function split(options: { in?: string | undefined; json: boolean }): string {
  const usage = 'cellmend split --in problem.json --json, with probability, linkMin and testMin';
  const file = readJson(options.in, SplitFileSchema, usage);
  const total = file.probability.reduce((a, b) => a + b, 0);
  const problem = {
    probability: file.probability.map((p) => p / total),
    linkMin: file.linkMin.map((m) => m ?? Infinity),
    testMin: file.testMin,
  };
  const plan = planSplit(problem);
  const answer = { ...plan, halving: expectedOf(problem, halving), oneByOne: expectedOf(problem, oneByOne) };
  if (options.json) return plain(answer);
  const told = (e: { tests: number; minutes: number }): string =>
    `${e.tests.toFixed(2)} tests, ${e.minutes.toFixed(1)} min`;
  return [
    plan.test
      ? `Test sections ${plan.test.from + 1} to ${plan.test.to + 1}, opening ${plan.test.opens.length ? plan.test.opens.map((l) => `link ${l + 1}`).join(' and ') : 'nothing'}.`
      : 'Nothing can be separated further.',
    `Expected ${told(plan.expected)}; halving ${told(answer.halving)}; one by one ${told(answer.oneByOne)}.`,
  ].join('\n');
}
