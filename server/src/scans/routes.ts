import { DemoScanSchema, ScanQuerySchema } from '@cellmend/contract/routes';
import { Router, type Request } from 'express';
import { createReadStream, existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { z } from 'zod';
import { needs } from '../http/auth';
import { writeOnce, type Store } from '../http/context';
import { notFound } from '../http/problems';
import { findJob } from '../jobs/service';
import { loadRecord } from './store';
import { readUpload, storeScan } from './service';
import { valueAt } from '@cellmend/core/scan';

/** Most points of a trace sent to the page. */
const TRACE_POINTS = 600;

export function scanRoutes(store: Store, demoFolder: string): Router {
  const router = Router();

  /** Reading the file happens before the transaction opens; storing it is one transaction. */
  const takeIn = (source: (req: Request) => { body: Readable; name: string; role: 'before' | 'after' }) =>
    [
      needs('technician'),
      async (req: Request, res: Parameters<ReturnType<typeof writeOnce>>[1], next: () => void) => {
        const { body, name, role } = source(req);
        const { job, profile } = await findJob(store, req.params.number);
        const stop = new AbortController();
        res.on('close', () => !res.writableEnded && stop.abort());
        const read = await readUpload(body, profile, stop.signal);
        try {
          await writeOnce(store, 201, (_r, doing) => storeScan(store, doing, job, name, role, read))(
            req,
            res,
            next,
          );
        } finally {
          await read.discard();
        }
      },
    ] as const;

  router.post(
    '/jobs/:number/scans',
    ...takeIn((req) => ({ ...ScanQuerySchema.parse(req.query), body: req })),
  );
  router.post(
    '/jobs/:number/scans/demo',
    ...takeIn((req) => {
      const { name, role } = DemoScanSchema.parse(req.body);
      const path = join(demoFolder, name);
      if (!existsSync(path)) throw notFound(`The demo file ${name}`);
      return { name, role, body: createReadStream(path) };
    }),
  );

  router.get('/jobs/:number/scans/:id/traces', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    const id = z.uuid().parse(req.params.id);
    const scan = await store.models.Scan.findOne({ where: { id, jobId: job.id } });
    if (!scan) throw notFound('That scan');
    const wanted = z
      .array(
        z.coerce
          .number()
          .int()
          .min(0)
          .max(scan.channelIds.length - 1),
      )
      .max(12)
      .parse(
        String(req.query.channels ?? '')
          .split(',')
          .filter(Boolean),
      );
    const record = await loadRecord(store, id);
    const time = record.voltageV[0]!.timeS;
    const stride = Math.max(1, Math.ceil(time.length / TRACE_POINTS));
    const at = Array.from(time).filter((_, i) => i % stride === 0);
    res.json({
      timeS: at,
      currentA: record.currentA ? at.map((t) => valueAt(record.currentA!, t)) : null,
      channels: wanted.map((c) => ({
        channelIndex: c,
        voltageV: at.map((t) => valueAt(record.voltageV[c]!, t)),
      })),
    });
  });
  return router;
}
