import { Router } from 'express';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { createJob, listVehicles } from './open';
import { board, viewJob } from './service';

export function jobRoutes(store: Store): Router {
  const router = Router();
  router.get('/jobs', needs('viewer'), async (_req, res) => void res.json(await board(store)));
  router.post(
    '/jobs',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => createJob(store, doing, req.body)),
  );
  router.get('/vehicles', needs('viewer'), async (_req, res) => void res.json(await listVehicles(store)));
  router.get(
    '/jobs/:number',
    needs('viewer'),
    async (req, res) => void res.json(await viewJob(store, req.params.number)),
  );
  return router;
}
