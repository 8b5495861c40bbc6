import { SpanSchema } from '@cellmend/contract/fields';
import {
  DemoScanSchema,
  PreviewQuerySchema,
  ScanQuerySchema,
  type Traces,
} from '@cellmend/contract/scanRoutes';
import { TypedScanSchema } from '@cellmend/contract/scans';
import { pointsOf, stretchOf, windowOf, wiring } from '@cellmend/core/scan';
import { Router, type Request } from 'express';
import { createReadStream, existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { z } from 'zod';
import { needs } from '../http/auth';
import { announceNow, type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { notFound } from '../domain/refusal';
import { passOn } from '../http/passOn';
import { untilGone } from '../http/untilGone';
import { findJob } from '../jobs/find';
import {
  addDefinition,
  listDefinitions,
  readNewDefinition,
  removeDefinition,
  readingHelp,
  saveHeading,
} from './help';
import { settle } from '../findings/due';
import { LiveOwners } from '../live/owners';
import { LiveSessions } from './live';
import type { ScanRow } from '../db/rows';
import { correctMap } from './correctMap';
import { mapCheck } from './mapCheck';
import { scanCourse } from './courses';
import { sayMoment } from './sayMoment';
import { findScanOf, pictureOf } from './store';
import { previewUpload, readTyped, readUpload, storeScan } from './service';

/** Pages are told how far an import is this often at most. */
const PROGRESS_MS = 250;

interface Upload {
  body: Readable;
  name: string;
  role: 'before' | 'after';
  writtenAt: Date | null;
  clockWrong?: boolean;
  entry?: string | undefined;
}

export function scanRoutes(
  store: Store,
  demoFolder: string,
  demo: boolean,
): { router: Router; close: () => Promise<void> } {
  const router = Router();
  const owners = new LiveOwners(store);
  const live = new LiveSessions(
    store,
    (job, state) => void announceNow(store, { topic: 'live', job, state }),
    owners,
  );

  const toOwner = passOn(store, owners);

  /** Reading the file happens before the transaction opens; storing it is one transaction. */
  const takeIn = (source: (req: Request) => Upload) =>
    [
      needs('technician'),
      async (req: Request, res: Parameters<ReturnType<typeof writeOnce>>[1], next: () => void) => {
        const { body, name, role, writtenAt, clockWrong = false, entry } = source(req);
        const found = await findJob(store, req.params.number);
        const { job, profile } = found;
        const key = req.get('idempotency-key') ?? null;
        let told = 0;
        const read = await readUpload(
          body,
          profile,
          await readingHelp(store),
          {
            person: req.person!.id,
            signal: untilGone(res),
            onProgress: (fraction) => {
              if (Date.now() - told < PROGRESS_MS) return;
              told = Date.now();
              void announceNow(store, { topic: 'import', job: job.number, key, fraction, before: 0 });
            },
            onPlace: (before) =>
              void announceNow(store, { topic: 'import', job: job.number, key, fraction: 0, before }),
          },
          entry,
        );
        try {
          await writeOnce(
            store,
            201,
            (_r, doing) =>
              storeScan(store, doing, found, name, role, read, { savedAt: writtenAt, clockWrong }),
            (scan) => joined(found.job.id, role, scan),
          )(req, res, next);
        } finally {
          await read.discard();
        }
      },
    ] as const;

  /** A record is answered once it has been weighed together with the earlier ones. */
  const joined = async <T>(jobId: string, role: string, scan: T): Promise<T> => {
    await settle(store, jobId, 'spread', role);
    return scan;
  };
  router.post(
    '/jobs/:number/scans',
    ...takeIn((req) => {
      const { name, role, writtenAt, clock, entry } = ScanQuerySchema.parse(req.query);
      return {
        name,
        role,
        entry,
        clockWrong: clock === 'wrong',
        writtenAt: writtenAt ? new Date(writtenAt) : null,
        body: req,
      };
    }),
  );
  router.post(
    '/jobs/:number/scans/demo',
    ...takeIn((req) => {
      const { name, role } = DemoScanSchema.parse(req.body);
      const path = join(demoFolder, name);
      if (!existsSync(path)) throw notFound(`The demo file ${name}`);
      return { name, role, writtenAt: null, body: createReadStream(path) };
    }),
  );
  router.post('/jobs/:number/scans/typed', needs('technician'), async (req, res, next) => {
    const typed = TypedScanSchema.parse(req.body);
    const found = await findJob(store, req.params.number);
    const read = await readTyped(typed, found.profile, {
      person: req.person!.id,
      signal: untilGone(res),
    });
    try {
      await writeOnce(
        store,
        201,
        (_r, doing) => storeScan(store, doing, found, read.name, typed.role, read),
        (scan) => joined(found.job.id, typed.role, scan),
      )(req, res, next);
    } finally {
      await read.discard();
    }
  });
  router.post('/jobs/:number/scans/preview', needs('technician'), async (req, res) => {
    const { entry } = PreviewQuerySchema.parse(req.query);
    const { profile } = await findJob(store, req.params.number);
    res.json(
      await previewUpload(
        req,
        profile,
        await readingHelp(store),
        { person: req.person!.id, signal: untilGone(res) },
        entry,
      ),
    );
  });

  router.post(
    '/headings',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => saveHeading(store, doing, req.body)),
  );
  router.get(
    '/definitions',
    needs('viewer'),
    async (_req, res) => void res.json(await listDefinitions(store)),
  );
  router.post('/definitions', needs('technician'), async (req, res, next) => {
    // Read in a thread before anything is written.
    const read = await readNewDefinition(req.body, { person: req.person!.id, signal: untilGone(res) });
    return writeOnce(store, 201, (_r, doing) => addDefinition(store, doing, read))(req, res, next);
  });
  router.delete(
    '/definitions/:id',
    needs('technician'),
    writeOnce(store, 200, (req, doing) => removeDefinition(store, doing, z.uuid().parse(req.params.id))),
  );

  router.get('/jobs/:number/live', needs('viewer'), toOwner, async (req, res) => {
    const { job, profile } = await findJob(store, req.params.number);
    res.json(await live.find(job, profile));
  });
  router.post('/jobs/:number/live', needs('technician'), toOwner, async (req, res) => {
    const { job, profile } = await findJob(store, req.params.number);
    res.status(201).json(await live.start(job, profile, req.body, demo));
  });
  router.post('/jobs/:number/bus-watch', needs('technician'), toOwner, async (req, res) => {
    const { job, profile } = await findJob(store, req.params.number);
    res.json(await live.watch(job, profile, req.body, demo, untilGone(res)));
  });
  router.post('/jobs/:number/live/keep', needs('technician'), toOwner, async (req, res, next) => {
    const found = await findJob(store, req.params.number);
    await live.find(found.job, found.profile);
    const { read, role, began } = await live.finish(found.job.id);
    const name = `Live scan, ${new Date().toISOString().slice(11, 16)}`;
    let stored = false;
    try {
      await writeOnce(
        store,
        201,
        (_r, doing) => storeScan(store, doing, found, name, role, read, { began }),
        (scan) => ((stored = true), joined(found.job.id, role, scan)),
      )(req, res, next);
    } finally {
      await read.discard(stored);
    }
  });
  router.delete('/jobs/:number/live', needs('technician'), toOwner, async (req, res) => {
    const { job, profile } = await findJob(store, req.params.number);
    await live.find(job, profile);
    await live.discard(job.id);
    res.status(204).end();
  });

  /** A scan, and for each place the channel of the record that was measured there. */
  const findScan = async (req: Request): Promise<{ scan: ScanRow; at: number[] }> => {
    const { job, profile } = await findJob(store, req.params.number);
    const scan = await findScanOf(store, job.id, z.uuid().parse(req.params.id));
    const wired = scan.format === 'typed' ? null : wiring(profile);
    return { scan, at: wired ?? profile.channels.map((_, i) => i) };
  };

  router.get('/jobs/:number/map-check', needs('viewer'), async (req, res) => {
    res.json(await mapCheck(store, await findJob(store, req.params.number)));
  });
  router.post(
    '/jobs/:number/map-check',
    needs('technician'),
    writeOnce(store, 201, (req, doing) => correctMap(store, doing, req.params.number, req.body)),
  );

  router.post(
    '/jobs/:number/scans/:id/moment',
    needs('technician'),
    writeOnce(
      store,
      201,
      (req, doing) => sayMoment(store, doing, req.params.number, z.uuid().parse(req.params.id), req.body),
      async ({ at, jobId, role }) => {
        await settle(store, jobId, 'spread', role);
        return { at };
      },
    ),
  );
  router.get('/jobs/:number/scans/:id/picture', needs('viewer'), async (req, res) => {
    const { scan, at } = await findScan(req);
    const picture = await pictureOf(store, scan.id);
    res.json({ ...picture, deviationMv: at.map((i) => picture.deviationMv[i]!) });
  });

  router.get('/jobs/:number/scans/:id/traces', needs('viewer'), async (req, res) => {
    const { scan, at: channelAt } = await findScan(req);
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
    const { fromS = -Infinity, toS = Infinity } = SpanSchema.parse(req.query);
    const channels = await Promise.all(
      wanted.map(async (channelIndex) => {
        const signal = `channel:${channelAt[channelIndex]!}`;
        const time = scan.simultaneous ? 'time' : `time:${signal}`;
        const reader = await scanCourse(store, scan.id, [time, signal]);
        const window = await windowOf(reader, time, fromS, toS);
        const { timeS, value } = await pointsOf(reader, time, signal, window);
        return { channelIndex, timeS, voltageV: value, stretch: stretchOf(window.level) };
      }),
    );
    res.json({ channels } satisfies Traces);
  });
  return { router, close: () => live.close() };
}
