import { MOST_RUN_BYTES } from '@cellmend/contract/bench';
import express, { Router, type RequestHandler } from 'express';
import { z } from 'zod';
import { needs } from '../http/auth';
import { keyOf, writeOnce } from '../http/context';
import type { Store } from '../domain/store';
import type { InstrumentRuns } from '../instruments/runs';
import { endSupervised, resumeSupervised, startSupervised, stopSupervised } from './supervised';
import { viewBeside } from './beside';
import { addReadRun, runFile, viewCourse } from './course';
import { viewSupervised } from './supervisedView';
import { startTransfer } from './transfer';
import { startWake, wakeAnswered } from './wake';
import { addRun, beginHold, keepPlan, readRun, viewBench, withdrawRun, type ReadRun } from './service';

const idOf = (value: unknown): string => z.uuid().parse(value);

export function benchRoutes(store: Store, runs: InstrumentRuns): Router {
  const router = Router();
  const writes = needs('technician');
  router.get(
    '/jobs/:number/bench',
    needs('viewer'),
    async (req, res) => void res.json(await viewBench(store, req.params.number)),
  );
  router.post(
    '/jobs/:number/bench/runs',
    writes,
    writeOnce(store, 201, (req, doing) => addRun(store, doing, req.params.number, req.body)),
  );
  router.post(
    '/jobs/:number/bench/holds',
    writes,
    writeOnce(store, 201, (req, doing) => beginHold(store, doing, req.params.number, req.body)),
  );
  router.post(
    '/jobs/:number/bench/plans',
    writes,
    writeOnce(store, 201, (req, doing) => keepPlan(store, doing, req.params.number, req.body)),
  );
  router.get(
    '/jobs/:number/bench/beside',
    needs('viewer'),
    async (req, res) => void res.json(await viewBeside(store, req.params.number)),
  );
  router.get(
    '/jobs/:number/bench/runs/:id/course',
    needs('viewer'),
    async (req, res) =>
      void res.json(
        await viewCourse(store, req.params.number, idOf(req.params.id), req.query, req.person!.id),
      ),
  );
  router.get(
    '/jobs/:number/bench/supervised',
    needs('viewer'),
    async (req, res) => void res.json(await viewSupervised(store, req.params.number)),
  );
  // Each claims its key in the row of its run, and answers once the output is on.
  router.post('/jobs/:number/bench/supervised', writes, async (req, res) => {
    res
      .status(201)
      .json(await startSupervised(store, runs, req.person!, req.params.number, keyOf(req), req.body));
  });
  router.post('/jobs/:number/bench/transfers', writes, async (req, res) => {
    res
      .status(201)
      .json(await startTransfer(store, runs, req.person!, req.params.number, keyOf(req), req.body));
  });
  router.post('/jobs/:number/bench/wake', writes, async (req, res) => {
    res.status(201).json(await startWake(store, runs, req.person!, req.params.number, keyOf(req), req.body));
  });
  router.post('/jobs/:number/bench/supervised/:id/answered', writes, async (req, res) => {
    res.json(await wakeAnswered(store, runs, req.params.number, idOf(req.params.id)));
  });
  router.post('/jobs/:number/bench/supervised/:id/resume', writes, async (req, res) => {
    const id = idOf(req.params.id);
    res
      .status(201)
      .json(await resumeSupervised(store, runs, req.person!, req.params.number, id, keyOf(req), req.body));
  });
  router.post('/jobs/:number/bench/supervised/:id/stop', writes, async (req, res) => {
    res.json(
      await stopSupervised(store, runs, req.person!, req.params.number, idOf(req.params.id), req.body),
    );
  });
  router.post('/jobs/:number/bench/supervised/:id/end', writes, async (req, res) => {
    res.json(await endSupervised(store, req.params.number, idOf(req.params.id), req.body));
  });
  router.post(
    '/jobs/:number/bench/:id/withdraw',
    writes,
    writeOnce(store, 201, (req, doing) =>
      withdrawRun(store, doing, req.params.number, idOf(req.params.id), req.body),
    ),
  );
  router.get('/bench/:id/file', needs('viewer'), async (req, res) => {
    res
      .type('text/csv')
      .attachment('run.csv')
      .send(await runFile(store, idOf(req.params.id)));
  });
  return router;
}

/** Files, whose body is larger than any other: told before the others' bodies are read. */
export function benchFileRoutes(store: Store): Router {
  const router = Router();
  // A file is read in a thread before any connection is taken for it.
  const read: RequestHandler = async (req, res, next) => {
    keyOf(req);
    const gone = new AbortController();
    res.on('close', () => !res.writableFinished && gone.abort());
    const text = typeof req.body === 'string' ? req.body : '';
    res.locals.run = await readRun(store, req.person!.id, req.params.number, req.query, text, gone.signal);
    // What is told apart under one key is the file and what was said of it.
    req.body = { query: req.query, sha256: (res.locals.run as ReadRun).data.sha256 };
    next();
  };
  router.post(
    '/jobs/:number/bench/files',
    needs('technician'),
    express.text({ limit: MOST_RUN_BYTES, type: () => true }),
    read,
    writeOnce(store, 201, (req, doing) =>
      addReadRun(store, doing, req.params.number, req.res!.locals.run as ReadRun),
    ),
  );
  return router;
}
