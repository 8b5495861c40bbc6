import { Router } from 'express';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { sign } from './service';

export function decisionRoutes(store: Store): Router {
  const router = Router();
  router.post(
    '/jobs/:number/decisions',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => sign(store, doing, req.params.number, req.body)),
  );
  return router;
}
