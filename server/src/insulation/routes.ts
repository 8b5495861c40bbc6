import type { Finding } from '@cellmend/contract/findings';
import { Router } from 'express';
import { z } from 'zod';
import { settled } from '../findings/due';
import { needs } from '../http/auth';
import { type Store } from '../domain/store';
import { keyOf, writeOnce } from '../http/context';
import { Refusal } from '../domain/refusal';
import type { InstrumentRuns } from '../instruments/runs';
import { findJob } from '../jobs/find';
import {
  addInsulation,
  keepQuestion,
  keepRun,
  KeptQuestion,
  listInsulation,
  runOnInstrument,
  type Kept,
} from './service';

export function insulationRoutes(store: Store, runs: InstrumentRuns): Router {
  const router = Router();
  /** What is known of the leak, once what was kept has been weighed in. */
  const toldOf = ({ jobId }: Kept): Promise<Finding | null> => settled(store, jobId, 'insulation');
  router.get('/jobs/:number/insulation', needs('viewer'), async (req, res) => {
    const { job } = await findJob(store, req.params.number);
    res.json(await listInsulation(store, job.id));
  });
  router.post(
    '/jobs/:number/insulation',
    needs('technician'),
    writeOnce(
      store,
      201,
      async (req, doing) => {
        const { job, profile } = await findJob(store, req.params.number, doing.tx);
        return addInsulation(store, doing, job, profile, req.body);
      },
      toldOf,
    ),
  );
  /** A question is an answer that keeps what was read: it commits, unlike any other refusal. */
  const asked = async (work: Promise<unknown>): Promise<void> => {
    try {
      await work;
    } catch (e) {
      if (!(e instanceof KeptQuestion)) throw e;
      await keepQuestion(store, e);
      throw new Refusal('notPossible', 'Do these figures stand?', e.question, {
        type: 'urn:cellmend:query',
        where: 'the test, whose readings are kept',
        accepted: 'A yes, and they are stored as they are; or the test again.',
        current: { runId: e.runId },
      });
    }
  };
  // The test runs before the transaction opens; storing what it read is one transaction.
  router.post('/jobs/:number/insulation/stream', needs('technician'), async (req, res, next) => {
    const key = keyOf(req);
    const gone = new AbortController();
    res.on('close', () => !res.writableEnded && gone.abort());
    const { job, profile } = await findJob(store, req.params.number);
    const run = await runOnInstrument(store, runs, job, profile, req.person!, key, req.body, gone.signal);
    await asked(
      Promise.resolve(
        writeOnce(
          store,
          201,
          (_r, doing) => keepRun(store, doing, job, profile, run.id, false),
          toldOf,
        )(req, res, next),
      ),
    );
  });
  router.post('/jobs/:number/insulation/runs/:id/stands', needs('technician'), async (req, res, next) => {
    const id = z.uuid().parse(req.params.id);
    const { job, profile } = await findJob(store, req.params.number);
    await writeOnce(
      store,
      201,
      (_r, doing) => keepRun(store, doing, job, profile, id, true),
      toldOf,
    )(req, res, next);
  });
  return router;
}
