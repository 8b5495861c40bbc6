import { MOST_ARCHIVE_BYTES, SameVehicleSchema } from '@cellmend/contract/archive';
import { Router } from 'express';
import { createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { InputProblem } from '@cellmend/core/pack';
import { needs } from '../http/auth';
import { writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import { workFolder } from '../scans/workFolder';
import { runFor } from '../scans/work';
import { takeArchive } from './take';
import { writeArchive } from './write';

export function archiveRoutes(store: Store): Router {
  const router = Router();
  router.get('/jobs/:number/archive', needs('technician'), async (req, res) => {
    const { name, zip } = await writeArchive(store, req.params.number);
    res.attachment(name).type('application/zip');
    await pipeline(zip.outputStream, res);
  });
  router.post('/archives', needs('lead'), async (req, res, next) => {
    const { path, discard } = await workFolder();
    try {
      const file = join(path, 'archive.zip');
      let bytes = 0;
      const most = new Transform({
        transform(piece: Buffer, _encoding, done) {
          bytes += piece.length;
          done(
            bytes > MOST_ARCHIVE_BYTES
              ? new InputProblem('archive', 'The archive is too large.', '', 'Up to 512 MB.')
              : null,
            piece,
          );
        },
      });
      await pipeline(req, most, createWriteStream(file));
      const same = SameVehicleSchema.nullable().parse(req.query.vehicle ?? null);
      const ready = await runFor(
        'archive',
        { kind: 'archive', path: file, nowMs: store.clock.now().wallMs },
        { person: req.person!.id },
      );
      await writeOnce(store, 201, (_req, doing) => takeArchive(store, doing, file, ready, same))(
        req,
        res,
        next,
      );
    } finally {
      await discard();
    }
  });
  return router;
}
