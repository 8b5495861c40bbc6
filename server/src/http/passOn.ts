import type { RequestHandler } from 'express';
import type { Store } from '../domain/store';
import { findJob } from '../jobs/find';
import type { LiveOwners } from '../live/owners';

/** Says that a request was passed on already, so that two processes never pass it back and forth. */
const PASSED_ON = 'x-cellmend-passed-on';
const KEPT_HEADERS = ['cookie', 'content-type', 'x-cellmend', 'x-cellmend-person', 'idempotency-key'];

/** Any process shows a session and stops it: what belongs to another is passed on to that one. */
export const passOn =
  (store: Store, owners: LiveOwners): RequestHandler<{ number: string }> =>
  async (req, res, next) => {
    if (req.get(PASSED_ON)) return next();
    const { job } = await findJob(store, req.params.number);
    const owner = await owners.elsewhere(job.id);
    if (!owner) return next();
    const headers: Record<string, string> = { [PASSED_ON]: '1' };
    for (const name of KEPT_HEADERS) {
      const value = req.get(name);
      if (value) headers[name] = value;
    }
    const body = req.body as unknown;
    const answer = await fetch(`${owner}${req.originalUrl}`, {
      method: req.method,
      headers,
      ...(req.method === 'GET' || body === undefined || body === null ? {} : { body: JSON.stringify(body) }),
    }).catch(() => null);
    // It died between two beats: this process answers by what it knows itself.
    if (!answer) return next();
    res.status(answer.status);
    const type = answer.headers.get('content-type');
    if (type) res.type(type);
    res.send(Buffer.from(await answer.arrayBuffer()));
  };
