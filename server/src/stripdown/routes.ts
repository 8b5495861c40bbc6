import { Router } from 'express';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import { z } from 'zod';
import { addOpenPoint, listOpenPoints, mendOpenPoint } from './openPoints';
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
  router.get(
    '/jobs/:number/open-points',
    needs('viewer'),
    async (req, res) => void res.json(await listOpenPoints(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/open-points',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => addOpenPoint(store, doing, req.params.number, req.body)),
  );
  router.post(
    '/jobs/:number/open-points/:id/mended',
    needs('technician'),
    writeOnce(store, 201, (req, doing) =>
      mendOpenPoint(store, doing, req.params.number, z.uuid().parse(req.params.id), req.body),
    ),
  );
  return router;
}
