import { limitValue, type PackProfile } from '@cellmend/core/pack';
import { proofsOf, type Proof, type ProofFacts } from '@cellmend/core/prove';
import type { Measure } from '@cellmend/core/route';
import type { Transaction } from 'sequelize';
import type { Store } from '../domain/store';
import { workshopSettings } from '../safety/settings';

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
export async function proofsOfRepair(
  store: Store,
  profile: PackProfile,
  { measures, leak, codes, checks }: Repair,
  tx?: Transaction,
): Promise<Proof[]> {
  if (!measures) return [];
  const { roadTest } = await workshopSettings(store, tx);
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
