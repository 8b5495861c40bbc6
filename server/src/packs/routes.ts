import { Router } from 'express';
import { z } from 'zod';
import type { Store } from '../domain/store';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import { addProfile, changeProfile, findProfile, listProfiles } from './service';

export function packRoutes(store: Store): Router {
  const router = Router();
  router.get('/packs', needs('viewer'), async (_req, res) => void res.json(await listProfiles(store)));
  router.get(
    '/packs/:id',
    needs('viewer'),
    async (req, res) => void res.json(await findProfile(store, z.uuid().parse(req.params.id))),
  );
  router.post(
    '/packs',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => addProfile(store, doing, req.body)),
  );
  router.put(
    '/packs/:id',
    needs('technician'),
    writeOnce(store, 200, (req, doing) =>
      changeProfile(store, doing, z.uuid().parse(req.params.id), req.body),
    ),
  );
  return router;
}
