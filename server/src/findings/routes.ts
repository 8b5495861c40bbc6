import { NewFindingSchema } from '@cellmend/contract/findings';
import { Router } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { answerTogether } from '../http/together';
import { untilGone } from '../http/untilGone';
import { findJob, jobIdOf } from '../jobs/find';
import { refreshNeed } from '../jobs/need';
import { compute } from './compute';
import { markDue, settle } from './due';
import { findFinding, latestFindings, recompute, sameProfile, storeFinding, tryFinding } from './service';

export function findingRoutes(store: Store): Router {
  const router = Router();
  router.get('/jobs/:number/findings', needs('viewer'), (req, res) =>
    answerTogether(store, res, `findings ${String(req.params.number)}`, async () =>
      latestFindings(store, await jobIdOf(store, req.params.number)),
    ),
  );
  router.get('/jobs/:number/findings/:id', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    res.json(await findFinding(store, job.id, z.uuid().parse(req.params.id)));
  });
  router.post('/jobs/:number/findings/try', needs('viewer'), async (req, res) => {
    const asked = { person: req.person!.id, signal: untilGone(res) };
    res.json(await tryFinding(store, await findJob(store, req.params.number), req.body, asked));
  });
  // Computed before the transaction opens; storing it is one transaction.
  router.post('/jobs/:number/findings', needs('technician'), async (req, res, next) => {
    const ask = NewFindingSchema.parse(req.body);
    const found = await findJob(store, req.params.number);
    const computed = await compute(store, found.job.id, found.profile, ask, new Date(), {
      person: req.person!.id,
      signal: untilGone(res),
    });
    await writeOnce(
      store,
      201,
      async (_r, doing) => {
        await sameProfile(store, doing, found);
        const finding = await storeFinding(store, doing, found.job, ask, computed, found.version);
        if (ask.topic === 'spread') await markDue(store, doing, found.job.id, 'insulation');
        await refreshNeed(store, doing.tx, found.job.id);
        return finding;
      },
      async (finding) => {
        await settle(store, found.job.id, 'insulation');
        return finding;
      },
    )(req, res, next);
  });
  // What was computed before stays as it is: the new findings stand beside it.
  router.post(
    '/jobs/:number/findings/anew',
    needs('technician'),
    writeOnce(
      store,
      201,
      async (req, doing) => {
        const { job } = await findJob(store, req.params.number, doing.tx);
        for (const role of ['before', 'after']) await markDue(store, doing, job.id, 'spread', role);
        await markDue(store, doing, job.id, 'insulation');
        return { jobId: job.id };
      },
      async ({ jobId }) => {
        for (const role of ['before', 'after']) await settle(store, jobId, 'spread', role);
        await settle(store, jobId, 'insulation');
        return (await latestFindings(store, jobId)).filter(
          (f) => f.topic === 'spread' || f.topic === 'insulation',
        );
      },
    ),
  );
  router.post('/jobs/:number/findings/:id/recompute', needs('viewer'), async (req, res) => {
    const id = z.uuid().parse(req.params.id);
    const asked = { person: req.person!.id, signal: untilGone(res) };
    res.json(await recompute(store, await findJob(store, req.params.number), id, asked));
  });
  return router;
}
