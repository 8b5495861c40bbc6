import { limitValue, type PackProfile } from '@cellmend/core/pack';
import { proofsOf, type Proof, type ProofFacts } from '@cellmend/core/prove';
import type { Measure } from '@cellmend/core/route';
import type { WorkshopSettings } from '@cellmend/contract/safety';

/** Where the maker says nothing. Common practice, no source. */
const USUAL_BLOCK_SPREAD_V = 0.5;

/** What is on record of a repair that is to be proven. */
interface Repair {
  measures: readonly Measure[] | null;
  leak: boolean;
  codes: readonly string[];
  checks: ProofFacts['checks'];
}
/** What proves a repair by what was wrong with it; nothing while nothing is signed. */
export function proofsOfRepair(
  profile: PackProfile,
  { roadTest }: Pick<WorkshopSettings, 'roadTest'>,
  { measures, leak, codes, checks }: Repair,
): Proof[] {
  if (!measures) return [];
  return proofsOf({
    measures,
    nimh: profile.chemistry === 'nimh',
    leak,
    codes,
    limits: {
      insulationOhm: limitValue(profile, 'vehicleWarnOhm'),
      blockSpreadV: profile.limits?.find((l) => l.key === 'blockSpreadLoadV')?.value ?? USUAL_BLOCK_SPREAD_V,
      roadTest,
      preChargeS:
        profile.preChargeOhm && profile.busCapacitanceF
          ? 3 * profile.preChargeOhm * profile.busCapacitanceF
          : null,
    },
    checks,
  });
}
