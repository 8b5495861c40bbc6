import { Router } from 'express';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import { addTick, viewStrip } from './service';

export function stripdownRoutes(store: Store): Router {
  const router = Router();
  router.get(
    '/jobs/:number/strip-down',
    needs('viewer'),
    async (req, res) => void res.json(await viewStrip(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/strip-down/ticks',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => addTick(store, doing, req.params.number, req.body)),
  );
  return router;
}
