import { Router } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { answerTogether } from '../http/together';
import { addCheck, listChecks } from './checks';
import {
  addReading,
  listReadings,
  openClocks,
  putAwayClock,
  startClock,
  timeline,
  withdrawReading,
} from './service';

export function recordRoutes(store: Store): Router {
  const router = Router();
  router.get('/jobs/:number/readings', needs('viewer'), (req, res) =>
    answerTogether(store, res, `readings ${String(req.params.number)}`, () =>
      listReadings(store, req.params.number),
    ),
  );
  router.post(
    '/jobs/:number/readings',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => addReading(store, doing, req.params.number, req.body)),
  );
  router.post(
    '/jobs/:number/readings/:id/withdraw',
    needs('technician'),
    writeOnce(store, 201, (req, doing) =>
      withdrawReading(store, doing, req.params.number, z.uuid().parse(req.params.id), req.body),
    ),
  );
  router.get(
    '/jobs/:number/checks',
    needs('viewer'),
    async (req, res) => void res.json(await listChecks(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/checks',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => addCheck(store, doing, req.params.number, req.body)),
  );
  router.get(
    '/jobs/:number/timeline',
    needs('viewer'),
    async (req, res) =>
      void res.json(
        await timeline(
          store,
          req.params.number,
          typeof req.query.before === 'string' ? req.query.before : undefined,
        ),
      ),
  );
  router.get('/clocks', needs('viewer'), async (_req, res) => void res.json(await openClocks(store)));
  router.post(
    '/jobs/:number/clocks',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => startClock(store, doing, req.params.number, req.body)),
  );
  router.post(
    '/clocks/:id/done',
    needs('technician'),
    writeOnce(store, 200, (req, doing) => putAwayClock(store, doing, z.uuid().parse(req.params.id))),
  );
  return router;
}
