import type { RequestHandler } from 'express';
import { QueryTypes } from 'sequelize';
import type { Store } from '../http/context';
import { findJob } from '../jobs/find';

/** A session whose process gave no sign for so long is free: it died. */
const LEASE_S = 12;
const BEAT_MS = 3000;
/** Says that a request was passed on already, so that two processes never pass it back and forth. */
const PASSED_ON = 'x-cellmend-passed-on';
const KEPT_HEADERS = ['cookie', 'content-type', 'x-cellmend', 'x-cellmend-person', 'idempotency-key'];

/** Which server process has the vehicle of a job: one at a time, by a lease in the database. */
export class LiveOwners {
  private readonly mine = new Set<string>();
  private readonly timer: NodeJS.Timeout;

  constructor(private readonly store: Store) {
    this.timer = setInterval(() => void this.beat(), BEAT_MS);
    this.timer.unref();
  }

  /** Takes the job's vehicle for this process; false while another one has it. */
  async take(jobId: string): Promise<boolean> {
    const rows = await this.store.sequelize.query(
      `INSERT INTO live_sessions (job_id, address) VALUES (:jobId, :address)
       ON CONFLICT (job_id) DO UPDATE SET address = :address, beat_at = now()
         WHERE live_sessions.address = :address OR live_sessions.beat_at < now() - make_interval(secs => ${LEASE_S})
       RETURNING job_id`,
      { replacements: { jobId, address: this.store.ownAddress }, type: QueryTypes.SELECT },
    );
    if (rows.length > 0) this.mine.add(jobId);
    return rows.length > 0;
  }

  async letGo(jobId: string): Promise<void> {
    if (!this.mine.delete(jobId)) return;
    await this.store.sequelize.query(
      'DELETE FROM live_sessions WHERE job_id = :jobId AND address = :address',
      {
        replacements: { jobId, address: this.store.ownAddress },
      },
    );
  }

  /** The process that has the job's vehicle, if it is another one and lives. */
  private async elsewhere(jobId: string): Promise<string | null> {
    if (this.mine.has(jobId)) return null;
    const [row] = await this.store.sequelize.query<{ address: string }>(
      `SELECT address FROM live_sessions WHERE job_id = :jobId AND address <> :address
          AND beat_at >= now() - make_interval(secs => ${LEASE_S})`,
      { replacements: { jobId, address: this.store.ownAddress }, type: QueryTypes.SELECT },
    );
    return row?.address ?? null;
  }

  private async beat(): Promise<void> {
    if (this.mine.size === 0) return;
    await this.store.sequelize
      .query('UPDATE live_sessions SET beat_at = now() WHERE job_id IN (:ids) AND address = :address', {
        replacements: { ids: [...this.mine], address: this.store.ownAddress },
      })
      // Lost for a moment: the lease outlives a few beats.
      .catch(() => undefined);
  }

  /** Any process shows a session and stops it: what belongs to another is passed on to that one. */
  passOn: RequestHandler<{ number: string }> = async (req, res, next) => {
    if (req.get(PASSED_ON)) return next();
    const { job } = await findJob(this.store, req.params.number);
    const owner = await this.elsewhere(job.id);
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

  close(): void {
    clearInterval(this.timer);
  }
}
