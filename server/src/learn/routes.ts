import { Router } from 'express';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import { addOutcome, claimsOf } from './outcomes';
import { lookBack } from './lookBack';

export function learnRoutes(store: Store): Router {
  const router = Router();
  router.get('/looking-back', needs('viewer'), async (_req, res) => void res.json(await lookBack(store)));
  router.get(
    '/jobs/:number/outcomes',
    needs('viewer'),
    async (req, res) => void res.json(await claimsOf(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/outcomes',
    needs('technician'),
    writeOnce(
      store,
      201,
      (req, doing) => addOutcome(store, doing, req.params.number, req.body),
      (_done, req) => claimsOf(store, req.params.number),
    ),
  );
  return router;
}
