import { limitValue, type PackProfile } from '@cellmend/core/pack';
import { proofsOf, type Proof } from '@cellmend/core/prove';
import type { Transaction } from 'sequelize';
import { bodyIn } from '../decisions/current';
import type { Store } from '../domain/store';
import { workshopSettings } from '../safety/settings';
import type { JobFacts } from './facts';

/** Where the maker says nothing. Common practice, no source. */
const USUAL_BLOCK_SPREAD_V = 0.5;

/** What proves a job's repair by what was wrong with it; nothing while nothing is signed. */
export async function proofsOfJob(
  store: Store,
  profile: PackProfile,
  { route, decisions, proofChecks }: JobFacts,
  tx?: Transaction,
): Promise<Proof[]> {
  if (!route.measures) return [];
  const { roadTest } = await workshopSettings(store, tx);
  return proofsOf({
    measures: route.measures,
    nimh: profile.chemistry === 'nimh',
    leak: route.leak !== null,
    codes: bodyIn(decisions, 'intake')?.codes ?? [],
    limits: {
      insulationOhm: limitValue(profile, 'vehicleWarnOhm'),
      blockSpreadV: profile.limits?.find((l) => l.key === 'blockSpreadLoadV')?.value ?? USUAL_BLOCK_SPREAD_V,
      roadTest,
    },
    checks: proofChecks,
  });
}
