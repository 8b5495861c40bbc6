import { QueryTypes } from 'sequelize';
import type { Store } from '../domain/store';

/** A session whose process gave no sign for so long is free: it died. */
const LEASE_S = 12;
const BEAT_MS = 3000;
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
  async elsewhere(jobId: string): Promise<string | null> {
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

  close(): void {
    clearInterval(this.timer);
  }
}
