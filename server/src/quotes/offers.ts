import type { UsedPackOffer } from '@cellmend/contract/quotes';
import { buyersFacts, carefulYears, usedPack } from '@cellmend/core/buyer';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { QueryTypes } from 'sequelize';
import { bodyIn, currentDecisions } from '../decisions/current';
import type { Store } from '../domain/store';
import { reportOf } from '../findings/stored';
import { findJob } from '../jobs/find';
import { readingsOf } from '../records/readings';

/** Used packs of this kind that were appraised here in another job, and are not advised against: newest first. */
export async function usedPackOffers(store: Store, number: unknown): Promise<UsedPackOffer[]> {
  const { job, pack, profile } = await findJob(store, number);
  const rows = await store.sequelize.query<{ id: string; number: number; title: string }>(
    `SELECT j.id, j.number, j.title FROM jobs j JOIN packs k ON k.id = j.pack_id
      WHERE k.profile_id = :profile AND j.id <> :job AND EXISTS (SELECT 1 FROM decisions d WHERE d.job_id = j.id AND d.topic = 'appraisal')
      ORDER BY j.number DESC LIMIT 5`,
    { type: QueryTypes.SELECT, replacements: { profile: pack.profileId, job: job.id } },
  );
  const mapped = normalisePack(profile as PackProfile);
  const offers = await Promise.all(
    rows.map(async (row): Promise<UsedPackOffer | null> => {
      const [decisions, scanned, spread] = await Promise.all([
        currentDecisions(store, row.id),
        readingsOf(store, row.id, { kind: 'code' }),
        store.models.Finding.findOne({
          where: { jobId: row.id, topic: 'spread', subject: 'before' },
          order: [['createdAt', 'DESC']],
        }),
      ]);
      const a = bodyIn(decisions, 'appraisal')!;
      const verdict = usedPack(
        {
          report: spread ? reportOf(spread) : null,
          facts: buyersFacts(
            bodyIn(decisions, 'intake'),
            scanned.map((r) => r.text),
          ),
          shown: a.shown,
          looked: a.looked,
          offer: a.offer,
          use: a.use,
        },
        mapped,
      );
      const yearsLeft = carefulYears(verdict.lasts);
      if (verdict.verdict === 'leave it' || !verdict.comesTo || !yearsLeft) return null;
      return {
        job: row.number,
        title: row.title,
        verdict: verdict.verdict,
        cost: verdict.comesTo,
        yearsLeft,
      };
    }),
  );
  return offers.filter((o) => o !== null);
}
