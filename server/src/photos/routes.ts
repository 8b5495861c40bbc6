import { MOST_PHOTO_BODY_BYTES } from '@cellmend/contract/photos';
import { Router, type RequestHandler } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import { jsonBody } from '../http/jsonBody';
import type { Store } from '../domain/store';
import { addPhoto, listPhotos, photoBytes, readPhoto, withdrawPhoto, type Taken } from './service';

const idOf = (value: unknown): string => z.uuid().parse(value);

export function photoRoutes(store: Store): Router {
  const router = Router();
  // A picture is drawn anew before any lock or connection is taken for it.
  const read: RequestHandler = async (req, res, next) => {
    res.locals.taken = await readPhoto(req.person!.id, req.body);
    next();
  };
  router.get(
    '/jobs/:number/photos',
    needs('viewer'),
    async (req, res) => void res.json(await listPhotos(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/photos',
    needs('technician'),
    jsonBody(MOST_PHOTO_BODY_BYTES),
    read,
    writeOnce(store, 201, (req, doing) =>
      addPhoto(store, doing, req.params.number, req.res!.locals.taken as Taken),
    ),
  );
  router.post(
    '/jobs/:number/photos/:id/withdraw',
    needs('technician'),
    jsonBody('8kb'),
    writeOnce(store, 201, (req, doing) =>
      withdrawPhoto(store, doing, req.params.number, idOf(req.params.id), req.body),
    ),
  );
  for (const [path, size] of [
    ['/photos/:id', 'whole'],
    ['/photos/:id/small', 'small'],
  ] as const)
    router.get(path, needs('viewer'), async (req, res) => {
      const bytes = await photoBytes(store, idOf(req.params.id), size);
      // Asked for each time, told in a few bytes that it is the same: whoever signed out sees it no more.
      res.set('Cache-Control', 'private, no-cache').type('image/jpeg').send(bytes);
    });
  return router;
}
