import { QueryTypes } from 'sequelize';
import type { Finding } from '@cellmend/contract/findings';
import { isDeepStrictEqual } from 'node:util';
import { setTimeout as pause } from 'node:timers/promises';
import type { Doing, Store } from '../domain/store';
import { withPack } from '../jobs/find';
import { refreshNeed } from '../jobs/need';
import { insulationAsk, spreadAsk } from './asks';
import { compute } from './compute';
import { storeFinding, viewFinding } from './service';

/** What is computed anew by itself when the record has outrun it. */
export type DueTopic = 'spread' | 'insulation';
interface Claim {
  version: number;
  person_id: string;
}

/** A claim that was not kept for so long is free again: its process died. */
const LEASE_S = 120;
const LOOK_MS = 40;
const SWEEP_MS = 15_000;

/**
 * Says, within a write, that a finding has to be computed anew. It is cheap: nothing is computed before the write has
 * committed.
 */
export async function markDue(
  store: Store,
  doing: Doing,
  jobId: string,
  topic: DueTopic,
  subject = '',
): Promise<void> {
  // The job before what is due of it, as everywhere: two writes never wait for each other.
  await store.models.Job.findByPk(jobId, {
    attributes: ['id'],
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  await store.sequelize.query(
    `INSERT INTO due_findings (job_id, topic, subject, person_id) VALUES (:jobId, :topic, :subject, :person)
     ON CONFLICT (job_id, topic, subject) DO UPDATE SET version = due_findings.version + 1, person_id = :person, failed = ''`,
    { replacements: { jobId, topic, subject, person: doing.person.id }, transaction: doing.tx },
  );
  doing.after.push(() => store.startDue(jobId, topic, subject));
}

async function claim(store: Store, jobId: string, topic: DueTopic, subject: string): Promise<Claim | null> {
  const rows = await store.sequelize.query<Claim>(
    `UPDATE due_findings SET claimed_until = now() + make_interval(secs => ${LEASE_S})
      WHERE job_id = :jobId AND topic = :topic AND subject = :subject AND failed = '' AND (claimed_until IS NULL OR claimed_until < now())
      RETURNING version, person_id`,
    { replacements: { jobId, topic, subject }, type: QueryTypes.SELECT },
  );
  return rows[0] ?? null;
}

/** Computes what was claimed and stores it; what was asked meanwhile is left for another round. */
async function work(
  store: Store,
  jobId: string,
  topic: DueTopic,
  subject: string,
  { version, person_id }: Claim,
): Promise<void> {
  const {
    job,
    profile,
    version: profileVersion,
  } = await withPack(store, (await store.models.Job.findByPk(jobId))!);
  const person = (await store.models.Person.findByPk(person_id))!;
  const ask =
    topic === 'spread'
      ? await spreadAsk(store, job, profile, subject === 'after' ? 'after' : 'before')
      : await insulationAsk(store, job, profile);
  const newest = await store.models.Finding.findOne({
    where: { jobId, topic, subject },
    attributes: ['parameters', 'profileVersion'],
    order: [['createdAt', 'DESC']],
  });
  const stands =
    newest !== null &&
    newest.profileVersion === profileVersion &&
    isDeepStrictEqual(newest.parameters, JSON.parse(JSON.stringify(ask)));
  const computed = ask && !stands ? await compute(store, jobId, profile, ask) : null;
  await store.sequelize.transaction(async (tx) => {
    const doing = { tx, person, after: [] };
    if (computed) {
      await storeFinding(store, doing, job, ask!, computed, profileVersion);
      if (topic === 'spread') await markDue(store, doing, jobId, 'insulation');
    }
    await refreshNeed(store, tx, jobId);
    await store.sequelize.query(
      'DELETE FROM due_findings WHERE job_id = :jobId AND topic = :topic AND subject = :subject AND version = :version',
      { replacements: { jobId, topic, subject, version }, transaction: tx },
    );
    await store.sequelize.query(
      'UPDATE due_findings SET claimed_until = NULL WHERE job_id = :jobId AND topic = :topic AND subject = :subject',
      { replacements: { jobId, topic, subject }, transaction: tx },
    );
  });
  if (topic === 'spread') await settle(store, jobId, 'insulation');
}

const waits = async (store: Store, jobId: string, topic: DueTopic, subject: string): Promise<boolean> => {
  const rows = await store.sequelize.query(
    "SELECT 1 FROM due_findings WHERE job_id = :jobId AND topic = :topic AND subject = :subject AND failed = ''",
    { replacements: { jobId, topic, subject }, type: QueryTypes.SELECT },
  );
  return rows.length > 0;
};

/** Returns once the finding is as new as the record, whichever process computes it. Never within a write. */
export async function settle(
  store: Store,
  jobId: string,
  topic: DueTopic,
  subject = '',
  patienceMs = 60_000,
): Promise<void> {
  const until = Date.now() + patienceMs;
  while (Date.now() < until && (await waits(store, jobId, topic, subject))) {
    const claimed = await claim(store, jobId, topic, subject);
    if (!claimed) {
      await pause(LOOK_MS);
      continue;
    }
    try {
      await work(store, jobId, topic, subject, claimed);
    } catch (error) {
      // Tried again with the next thing that is recorded; what was found before stands.
      await store.sequelize.query(
        // What was asked meanwhile is not failed: it is another question.
        `UPDATE due_findings SET claimed_until = NULL, failed = CASE WHEN version = :version THEN :why ELSE failed END
          WHERE job_id = :jobId AND topic = :topic AND subject = :subject`,
        {
          replacements: {
            jobId,
            topic,
            subject,
            version: claimed.version,
            why: String(error instanceof Error ? error.message : error).slice(0, 500) || 'failed',
          },
        },
      );
      throw error;
    }
  }
}

/** The newest finding of a topic as pages show it, once it is as new as the record. */
export async function settled(
  store: Store,
  jobId: string,
  topic: DueTopic,
  subject = '',
): Promise<Finding | null> {
  await settle(store, jobId, topic, subject);
  const row = await store.models.Finding.findOne({
    where: { jobId, topic, subject },
    order: [['createdAt', 'DESC']],
  });
  return row && viewFinding(row);
}

/** Looks after findings whose process died before it had computed them. */
export class DueFindings {
  private readonly timer: NodeJS.Timeout;
  private readonly running = new Set<Promise<void>>();
  private closed = false;

  constructor(
    private readonly store: Store,
    private readonly failed: (error: unknown) => void,
  ) {
    this.timer = setInterval(() => void this.sweep(), SWEEP_MS);
    this.timer.unref();
    void this.sweep();
  }

  /** Computes one without anybody waiting for it; pages hear of it by the live channel. */
  start(jobId: string, topic: DueTopic, subject = ''): void {
    if (this.closed) return;
    const running = settle(this.store, jobId, topic, subject)
      .catch((error: unknown) => {
        if (!this.closed) this.failed(error);
      })
      .finally(() => this.running.delete(running));
    this.running.add(running);
  }

  private async sweep(): Promise<void> {
    const rows = await this.store.sequelize
      .query<{ job_id: string; topic: DueTopic; subject: string }>(
        "SELECT job_id, topic, subject FROM due_findings WHERE failed = '' AND asked_at < now() - interval '5 seconds' AND (claimed_until IS NULL OR claimed_until < now()) LIMIT 20",
        { type: QueryTypes.SELECT },
      )
      .catch(() => []);
    for (const r of rows) this.start(r.job_id, r.topic, r.subject);
  }

  async close(): Promise<void> {
    this.closed = true;
    clearInterval(this.timer);
    await Promise.race([Promise.all([...this.running]), pause(5000)]);
  }
}
