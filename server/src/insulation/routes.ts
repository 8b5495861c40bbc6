import { Router } from 'express';
import { needs } from '../http/auth';
import { writeOnce, type Store } from '../http/context';
import { findJob } from '../jobs/service';
import { addInsulation, listInsulation, streamTest } from './service';

export function insulationRoutes(store: Store, demo: boolean): Router {
  const router = Router();
  router.get('/jobs/:number/insulation', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    res.json(await listInsulation(store, job.id));
  });
  router.post(
    '/jobs/:number/insulation',
    needs('technician'),
    writeOnce(store, 201, async (req, doing) => {
      const { job, profile } = await findJob(store, req.params.number, doing.tx);
      return addInsulation(store, doing, job, profile, req.body);
    }),
  );
  // The test runs before the transaction opens; storing what it read is one transaction.
  router.post('/jobs/:number/insulation/stream', needs('technician'), async (req, res, next) => {
    const { job, profile } = await findJob(store, req.params.number);
    const { observation } = await streamTest(store, job, profile, req.body, demo);
    await writeOnce(store, 201, (_r, doing) =>
      addInsulation(store, doing, job, profile, { observation, managementDisconnected: true }, true),
    )(req, res, next);
  });
  return router;
}
