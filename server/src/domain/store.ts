import { QueryTypes, type Sequelize, type Transaction } from 'sequelize';
import type { Models } from '../db/models';
import type { PersonRow } from '../db/rows';
import type { Clock } from './clock';

/** What every service needs: the database and its tables. */
export interface Store {
  sequelize: Sequelize;
  models: Models;
  clock: Clock;
  /** Where the other server processes of this database find this one. */
  ownAddress: string;
  /** Computes a finding that is due without anybody waiting for it. */
  startDue: (jobId: string, topic: 'spread' | 'insulation', subject?: string) => void;
}

/** Who does something, within which transaction. */
export interface Doing {
  tx: Transaction;
  person: PersonRow;
  /** What begins once the write has committed; nobody waits for it. */
  after: (() => void)[];
}

/** Adds a line to the audit trail, in the transaction of the change itself. */
export async function audit(
  store: Store,
  doing: Doing,
  jobId: string | null,
  what: string,
  subject = '',
  detail = '',
): Promise<void> {
  await store.models.Audit.create(
    { jobId, personId: doing.person.id, what, subject, detail },
    { transaction: doing.tx },
  );
}

/** Tells every server process, once the transaction commits, that something of a job changed. */
export async function announce(
  store: Store,
  tx: Transaction,
  topic: string,
  jobNumber: number | null,
): Promise<void> {
  await store.sequelize.query('SELECT pg_notify(:channel, :payload)', {
    replacements: { channel: 'cellmend', payload: JSON.stringify({ topic, job: jobNumber }) },
    transaction: tx,
    type: QueryTypes.SELECT,
  });
}

/** PostgreSQL carries notices of up to 8000 bytes. */
const LONGEST_NOTICE = 7900;

/** Tells every server process something that passes: progress, live values. Nothing is kept; a long one is left out. */
export async function announceNow(store: Store, message: Record<string, unknown>): Promise<void> {
  const payload = JSON.stringify(message);
  if (Buffer.byteLength(payload) > LONGEST_NOTICE) return;
  await store.sequelize
    .query('SELECT pg_notify(:channel, :payload)', {
      replacements: { channel: 'cellmend', payload },
      type: QueryTypes.SELECT,
    })
    .catch(() => undefined);
}
