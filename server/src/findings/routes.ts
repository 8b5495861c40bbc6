import { Router } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { writeOnce, type Store } from '../http/context';
import { notFound } from '../http/problems';
import { findJob } from '../jobs/service';
import { computeAnew, computeFinding, latestFindings, recompute, viewFinding } from './service';

export function findingRoutes(store: Store): Router {
  const router = Router();
  router.get('/jobs/:number/findings', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    res.json(await latestFindings(store, job.id));
  });
  router.get('/jobs/:number/findings/:id', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    const row = await store.models.Finding.findOne({
      where: { id: z.uuid().parse(req.params.id), jobId: job.id },
    });
    if (!row) throw notFound('That finding');
    res.json(viewFinding(row));
  });
  router.post(
    '/jobs/:number/findings',
    needs('technician'),
    writeOnce(store, 201, async (req, doing) => {
      const { job, profile } = await findJob(store, req.params.number, doing.tx);
      return computeFinding(store, doing, job, profile, req.body);
    }),
  );
  router.post(
    '/jobs/:number/findings/anew',
    needs('technician'),
    writeOnce(store, 201, async (req, doing) => {
      const { job, profile } = await findJob(store, req.params.number, doing.tx);
      return computeAnew(store, doing, job, profile);
    }),
  );
  router.post('/jobs/:number/findings/:id/recompute', needs('viewer'), async (req, res) => {
    const id = z.uuid().parse(req.params.id);
    res.json(
      await store.sequelize.transaction(async (tx) => {
        const { job, profile } = await findJob(store, req.params.number, tx);
        return recompute(store, tx, job, profile, id);
      }),
    );
  });
  return router;
}
