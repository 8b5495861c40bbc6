import type { StoredProfile } from '@cellmend/contract/pack';
import { CorrectMapSchema } from '@cellmend/contract/scans';
import { rewired } from '@cellmend/core/scan';
import { isDeepStrictEqual } from 'node:util';
import { Refusal } from '../domain/refusal';
import { audit, type Doing, type Store } from '../domain/store';
import { markDue } from '../findings/due';
import { findJob } from '../jobs/find';
import { changeProfile } from '../packs/service';
import { mustSign } from '../safety/observe';
import { mapCheck } from './mapCheck';

/**
 * Corrects the map as the meter says: a new version of the profile in which every place is given the name that scans have
 * for it. Signed by somebody qualified, since it decides which module is taken out; all open jobs of that profile are
 * computed anew.
 * @throws 409 where the readings no longer say what was signed.
 */
export async function correctMap(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<StoredProfile> {
  const { instead } = CorrectMapSchema.parse(body);
  mustSign(doing);
  const found = await findJob(store, number, doing.tx);
  const check = await mapCheck(store, found);
  if (check?.verdict !== 'disproven' || !isDeepStrictEqual(check.instead, instead))
    throw new Refusal(
      'conflict',
      'Changed meanwhile',
      `The readings no longer say what was signed. ${check?.says ?? 'There is no scan, or nothing metered, any more.'} Nothing was changed.`,
    );
  const { job, pack, profile, version } = found;
  const stored = await changeProfile(store, doing, pack.profileId, {
    profile: rewired(profile, instead),
    baseVersion: version,
  });
  await audit(store, doing, job.id, 'map corrected', profile.name, check.says);
  const packs = await store.models.Pack.findAll({
    attributes: ['id'],
    where: { profileId: pack.profileId },
    transaction: doing.tx,
  });
  const open = await store.models.Job.findAll({
    attributes: ['id'],
    where: { closedAt: null, packId: packs.map((p) => p.id) },
    order: [['id', 'ASC']],
    transaction: doing.tx,
  });
  for (const { id } of open) {
    for (const role of ['before', 'after']) await markDue(store, doing, id, 'spread', role);
    await markDue(store, doing, id, 'insulation');
  }
  return stored;
}
