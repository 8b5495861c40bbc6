import { Router } from 'express';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import { addOutcome, claimsOf } from './outcomes';
import { lookBack } from './lookBack';
import { dropMemory, memoryFile, memoryHere, switchMemory, takeInMemory, viewMemory } from './memory';
import { z } from 'zod';

export function learnRoutes(store: Store): Router {
  const router = Router();
  router.get('/looking-back', needs('viewer'), async (_req, res) => void res.json(await lookBack(store)));
  router.get('/memory', needs('viewer'), async (_req, res) => void res.json(await viewMemory(store)));
  router.get('/memory/file', needs('technician'), async (_req, res) => {
    res.attachment('workshop-memory.json').json(await memoryFile(store));
  });
  router.put(
    '/memory',
    needs('lead'),
    writeOnce(store, 200, (req, doing) => switchMemory(store, doing, req.body)),
  );
  router.post(
    '/memory/shared',
    needs('lead'),
    writeOnce(store, 201, (req, doing) => takeInMemory(store, doing, req.body)),
  );
  router.delete(
    '/memory/shared/:id',
    needs('lead'),
    writeOnce(store, 200, (req, doing) => dropMemory(store, doing, z.uuid().parse(req.params.id))),
  );
  router.get(
    '/jobs/:number/memory',
    needs('viewer'),
    async (req, res) => void res.json(await memoryHere(store, req.params.number)),
  );
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
