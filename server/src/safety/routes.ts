import { Router, type Request } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { answerTogether } from '../http/together';
import { type Doing, type Store } from '../domain/store';
import { writeOnce } from '../http/context';
import { findJob } from '../jobs/find';
import type { JobRow } from '../db/rows';
import type { PackProfile } from '@cellmend/core/pack';
import type { InstrumentRuns } from '../instruments/runs';
import { beginLockout, closeLockout, endWatch, takeStep } from './service';
import { viewSafety } from './view';
import { endStop, stopWork } from './stops';
import { saveSettings } from './saveSettings';
import { workshopSettings } from './settings';

export function safetyRoutes(store: Store, runs: InstrumentRuns): Router {
  const router = Router();
  const write = <T>(
    status: number,
    work: (doing: Doing, job: JobRow, profile: PackProfile, req: Request) => Promise<T>,
  ) =>
    writeOnce(store, status, async (req, doing) => {
      const { job, profile } = await findJob(store, req.params.number, doing.tx);
      return work(doing, job, profile, req);
    });
  router.get('/jobs/:number/safety', needs('viewer'), (req, res) =>
    answerTogether(store, res, `safety ${String(req.params.number)} ${req.person!.id}`, async () => {
      const { job, profile } = await findJob(store, req.params.number);
      return viewSafety(store, job, profile, req.person!.id);
    }),
  );
  router.post(
    '/jobs/:number/safety/begin',
    needs('technician'),
    write(201, (d, job, profile, req) => beginLockout(store, d, job, profile, req.body)),
  );
  router.post(
    '/jobs/:number/safety/steps',
    needs('technician'),
    write(201, (d, job, profile, req) => takeStep(store, d, job, profile, req.body)),
  );
  router.post(
    '/jobs/:number/safety/close',
    needs('technician'),
    write(201, (d, job, profile, req) => closeLockout(store, d, job, profile, req.body)),
  );
  // Whoever is signed in may stop: it is the careful direction, and is recorded by name.
  router.post('/jobs/:number/stops', needs('viewer'), async (req, res, next) => {
    // What this process drives is off already (stopFirst); here the other processes are told, and all are named.
    const { job } = await findJob(store, req.params.number);
    const outputs = await runs.stopJob(job.id);
    await write(201, (d, found, _p, r) => stopWork(store, d, found, r.body, outputs))(req, res, next);
  });
  router.post(
    '/jobs/:number/safety/watch/end',
    needs('technician'),
    write(201, (d, job, profile, req) => endWatch(store, d, job, profile, req.body)),
  );
  router.post(
    '/jobs/:number/stops/:id/end',
    needs('technician'),
    write(200, (d, job, _p, req) => endStop(store, d, job, z.uuid().parse(req.params.id), req.body)),
  );
  router.get('/workshop', needs('viewer'), async (_req, res) => void res.json(await workshopSettings(store)));
  router.put(
    '/workshop',
    needs('lead'),
    writeOnce(store, 200, (req, doing) => saveSettings(store, doing, req.body)),
  );
  return router;
}
