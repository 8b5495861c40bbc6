import type { BalancePlan } from '@cellmend/core/balance';
import type { InsulationReport } from '@cellmend/core/insulation';
import type { MatchRow } from '@cellmend/core/match';
import type { Comparison } from '@cellmend/core/prove';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { describe, expectTypeOf, it } from 'vitest';
import type { z } from 'zod';
import type {
  BalancePlanSchema,
  ComparisonSchema,
  InsulationReportSchema,
  MatchRowSchema,
  SpreadReportSchema,
} from '.';

/** Every key there, down to the last: one that is left out or added stands in the way of assigning either to the other. */
type Whole<T> = T extends object ? { [K in keyof T]-?: Whole<T[K]> } : T;

/** The compiler holds the two together: a field that core adds, drops or changes does not build until it is here too. */
describe('results of findings at the border', () => {
  it('are the shapes of the computation, field by field', () => {
    expectTypeOf<Whole<z.output<typeof SpreadReportSchema>>>().toExtend<Whole<SpreadReport>>();
    expectTypeOf<Whole<SpreadReport>>().toExtend<Whole<z.output<typeof SpreadReportSchema>>>();
    expectTypeOf<Whole<z.output<typeof InsulationReportSchema>>>().toExtend<Whole<InsulationReport>>();
    expectTypeOf<Whole<InsulationReport>>().toExtend<Whole<z.output<typeof InsulationReportSchema>>>();
    expectTypeOf<Whole<z.output<typeof MatchRowSchema>>>().toExtend<Whole<MatchRow>>();
    expectTypeOf<Whole<MatchRow>>().toExtend<Whole<z.output<typeof MatchRowSchema>>>();
    expectTypeOf<Whole<z.output<typeof BalancePlanSchema>>>().toExtend<Whole<BalancePlan>>();
    expectTypeOf<Whole<BalancePlan>>().toExtend<Whole<z.output<typeof BalancePlanSchema>>>();
    expectTypeOf<Whole<z.output<typeof ComparisonSchema>>>().toExtend<Whole<Comparison>>();
    expectTypeOf<Whole<Comparison>>().toExtend<Whole<z.output<typeof ComparisonSchema>>>();
  });
});
