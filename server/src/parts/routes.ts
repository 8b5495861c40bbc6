import { Router } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { fitPart, salvage } from './fit';
import { addParts, addTable, correctPart, measurePart, placePart } from './service';
import { PartQuerySchema } from '@cellmend/contract/stock';
import { findPart, listStock, partHistory } from './view';

const idOf = (value: unknown): string => z.uuid().parse(value);

export function partRoutes(store: Store): Router {
  const router = Router();
  const writes = needs('technician');
  router.get('/stock', needs('viewer'), async (_req, res) => void res.json(await listStock(store)));
  router.post(
    '/stock',
    writes,
    writeOnce(store, 201, (req, doing) => addParts(store, doing, req.body)),
  );
  router.post(
    '/stock/table',
    writes,
    writeOnce(store, 201, (req, doing) => addTable(store, doing, req.body)),
  );
  router.get(
    '/parts',
    needs('viewer'),
    async (req, res) => void res.json(await findPart(store, PartQuerySchema.parse(req.query).label)),
  );
  router.get(
    '/stock/:id',
    needs('viewer'),
    async (req, res) => void res.json(await partHistory(store, idOf(req.params.id))),
  );
  router.post(
    '/stock/:id/facts',
    writes,
    writeOnce(store, 201, (req, doing) => correctPart(store, doing, idOf(req.params.id), req.body)),
  );
  router.post(
    '/stock/:id/figures',
    writes,
    writeOnce(store, 201, (req, doing) => measurePart(store, doing, idOf(req.params.id), req.body)),
  );
  router.post(
    '/stock/:id/place',
    writes,
    writeOnce(store, 201, (req, doing) => placePart(store, doing, idOf(req.params.id), req.body)),
  );
  router.post(
    '/jobs/:number/fit',
    writes,
    writeOnce(store, 201, (req, doing) => fitPart(store, doing, req.params.number, req.body)),
  );
  router.post(
    '/jobs/:number/salvage',
    writes,
    writeOnce(store, 201, (req, doing) => salvage(store, doing, req.params.number, req.body)),
  );
  return router;
}
