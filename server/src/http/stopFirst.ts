import cookieParser from 'cookie-parser';
import { Router, type Response } from 'express';
import { ownPagesOnly } from './auth';
import { SESSION_COOKIE } from './session';
import type { InstrumentRuns, OutputTold } from '../instruments/runs';

/** A Stop whose record is not written by then is answered all the same, ms. */
const ANSWER_WITHIN_MS = 4000;

/**
 * What a Stop does before anything else: the outputs of its job come off by what this process has in memory. Nothing is
 * asked of the database, which may hang; a cookie that this server signed is enough, also of somebody who signed out
 * since, because switching off is the careful direction. Where the record cannot be written in time, the answer says
 * what became of the outputs, and the page sends its Stop again.
 */
export function stopFirst(runs: InstrumentRuns, sessionSecret: string): Router {
  const router = Router();
  router.post('/jobs/:number/stops', ownPagesOnly, cookieParser(sessionSecret), (req, res, next) => {
    const signed: unknown = (req.signedCookies as Record<string, unknown>)[SESSION_COOKIE];
    if (typeof signed === 'string')
      answerInTime(res, runs.cut(Number(req.params.number), 'Stop was pressed'));
    next();
  });
  return router;
}

function answerInTime(res: Response, outputs: Promise<OutputTold[]>): void {
  // The session keeps an answer back until it has touched its row: this one goes out as it is.
  const end = res.end.bind(res);
  const timer = setTimeout(() => {
    if (res.headersSent) return;
    void outputs.then((told) => {
      if (res.headersSent) return;
      const reached = told.map((o) => `${o.instrument}: output ${o.output}.`).join(' ');
      const detail = `${reached === '' ? 'No instrument runs for this job on this server.' : reached} The database does not answer, so this Stop is not in the record yet: the page keeps it and sends it again.`;
      const body = { type: 'about:blank', title: 'The database is away', status: 503, detail };
      res.end = end;
      res.status(503).set('Retry-After', '2').type('application/problem+json');
      res.end(JSON.stringify(body));
    });
  }, ANSWER_WITHIN_MS);
  res.on('close', () => clearTimeout(timer));
}
