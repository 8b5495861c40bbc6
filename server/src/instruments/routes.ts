import { Router } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { findJob } from '../jobs/find';
import { viewRuns } from './viewRuns';
import { addInstrument, listInstruments, lookFor, outputSeenOff, retireInstrument } from './service';

export function instrumentRoutes(store: Store): Router {
  const router = Router();
  const id = (value: unknown): string => z.uuid().parse(value);
  router.get(
    '/instruments',
    needs('viewer'),
    async (_req, res) => void res.json(await listInstruments(store)),
  );
  router.post(
    '/instruments',
    needs('lead'),
    writeOnce(store, 201, (req, doing) => addInstrument(store, doing, req.body)),
  );
  router.post(
    '/instruments/:id/look',
    needs('technician'),
    async (req, res) => void res.json(await lookFor(store, id(req.params.id))),
  );
  router.post(
    '/instruments/:id/off',
    needs('technician'),
    writeOnce(store, 200, (req, doing) => outputSeenOff(store, doing, id(req.params.id), req.body)),
  );
  router.delete(
    '/instruments/:id',
    needs('lead'),
    writeOnce(store, 200, (req, doing) => retireInstrument(store, doing, id(req.params.id))),
  );
  router.get('/jobs/:number/instrument-runs', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    res.json(await viewRuns(store, job.id));
  });
  return router;
}
