import { Router } from 'express';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { answerTogether } from '../http/together';
import { z } from 'zod';
import { createJob } from './open';
import { correctVehicle, listVehicles, vehicleHistory } from './vehicles';
import { jobAnswer } from './kept';
import { board } from './service';

export function jobRoutes(store: Store): Router {
  const router = Router();
  router.get('/jobs', needs('viewer'), (_req, res) =>
    answerTogether(store, res, 'board', () => board(store)),
  );
  router.post(
    '/jobs',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => createJob(store, doing, req.body)),
  );
  router.get('/vehicles', needs('viewer'), async (_req, res) => void res.json(await listVehicles(store)));
  router.get(
    '/vehicles/:id',
    needs('viewer'),
    async (req, res) => void res.json(await vehicleHistory(store, z.uuid().parse(req.params.id))),
  );
  router.post(
    '/vehicles/:id/facts',
    needs('technician'),
    writeOnce(
      store,
      201,
      (req, doing) => correctVehicle(store, doing, z.uuid().parse(req.params.id), req.body),
      (done) => vehicleHistory(store, done.id),
    ),
  );
  router.get('/jobs/:number', needs('viewer'), (req, res) =>
    answerTogether(store, res, `job ${String(req.params.number)}`, () => jobAnswer(store, req.params.number)),
  );
  return router;
}
