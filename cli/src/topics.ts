import { StripdownFileSchema } from '@cellmend/contract/stripdown';
import {
  BalanceFileSchema,
  BenchRunSchema,
  ConditionFileSchema,
  HoldTestSchema,
  MatchFileSchema,
  OptionsFileSchema,
  RangeFileSchema,
  ScheduleFileSchema,
} from '@cellmend/contract/topics';
import { answerBalance } from '@cellmend/core/balance';
import { analyseRun, conditionSticks, judgeHold, scheduleBench } from '@cellmend/core/bench';
import { compareOptions } from '@cellmend/core/cost';
import { selectModules } from '@cellmend/core/match';
import { rangeAfterSwaps } from '@cellmend/core/range';
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
  bench: topic({
    schema: BenchRunSchema,
    says: 'one logged run: capacity, cells that ran empty, resistance',
    run: analyseRun,
    tell: (a) =>
      [
        a.capacityAh === null
          ? 'No capacity.'
          : `${a.lowerBound ? 'At least ' : ''}${a.capacityAh.toFixed(3)} A·h, ${a.energyWh.toFixed(1)} W·h.`,
        ...a.warnings,
      ].join('\n'),
  }),
  hold: topic({
    schema: HoldTestSchema,
    says: 'whether a module keeps its charge',
    run: judgeHold,
    tell: (a) => `${a.verdict}. ${a.reasons.join(' ')}`,
  }),
  condition: topic({
    schema: ConditionFileSchema,
    says: 'NiMH sticks: out of balance, worn or dead, and the hours to level them',
    run: conditionSticks,
    tell: (a) =>
      [
        ...a.sticks.map((s) => `${s.id}: ${s.verdict}. ${s.why.join(' ')}`),
        a.plan.length > 0 ? `${a.hours} h for ${new Set(a.plan.map((p) => p.stick)).size} sticks.` : '',
      ]
        .filter(Boolean)
        .join('\n'),
  }),
  match: topic({
    schema: MatchFileSchema,
    says: 'which modules go in, and where',
    run: selectModules,
    tell: (a) => (a.places ? a.places.map((id, i) => `${i + 1}: ${id}`).join('\n') : a.reasons.join(' ')),
  }),
  balance: topic({
    schema: BalanceFileSchema,
    says: 'charge to move and the hours, by its kind',
    run: answerBalance,
    tell: (a) => JSON.stringify(a, null, 1),
  }),
  schedule: topic({
    schema: ScheduleFileSchema,
    says: 'when each step of each module runs on the bench',
    run: scheduleBench,
    tell: (a) =>
      `${a.makespanH} h${a.proved ? ', no plan is shorter' : `; none is shorter than ${a.lowerBoundH} h`}.`,
  }),
  range: topic({
    schema: RangeFileSchema,
    says: 'what balancing and swapping bring',
    run: rangeAfterSwaps,
    tell: (a) =>
      `${a.asIs.windowAh.toFixed(2)} A·h as it is, ${a.afterBalancingAh.toFixed(2)} balanced; best with ${a.bestKBalanced} swaps.`,
  }),
  options: topic({
    schema: OptionsFileSchema,
    says: 'what each choice costs a year, with a likely span',
    run: compareOptions,
    tell: (a) =>
      a.options
        .map(
          (o) =>
            `${o.name}: ${o.costPerYear.p50.toFixed(0)} a year (${o.costPerYear.p10.toFixed(0)} to ${o.costPerYear.p90.toFixed(0)}), cheapest in ${Math.round(100 * o.chanceCheapest)} %`,
        )
        .join('\n'),
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
