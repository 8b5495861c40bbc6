import { Router } from 'express';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import { usedPackOffers } from './offers';
import { addQuote, listQuotes } from './service';

export function quoteRoutes(store: Store): Router {
  const router = Router();
  router.get(
    '/jobs/:number/quotes',
    needs('viewer'),
    async (req, res) => void res.json(await listQuotes(store, req.params.number)),
  );
  router.get(
    '/jobs/:number/offers',
    needs('viewer'),
    async (req, res) => void res.json(await usedPackOffers(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/quotes',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => addQuote(store, doing, req.params.number, req.body)),
  );
  return router;
}
