import { StockModuleSchema } from '@cellmend/contract/stock';
import { Router } from 'express';
import { needs } from '../http/auth';
import type { Store } from '../http/context';

export function stockRoutes(store: Store): Router {
  const router = Router();
  router.get('/stock', needs('viewer'), async (_req, res) => {
    const rows = await store.models.Stock.findAll({ order: [['label', 'ASC']] });
    res.json(rows.map((r) => StockModuleSchema.parse({ ...r.facts, id: r.id, label: r.label })));
  });
  return router;
}
