import { INSTRUMENT_KINDS, onlyReads } from '@cellmend/contract/instruments';
import { QueryTypes, type Sequelize, type Transaction } from 'sequelize';
import { systemClock } from '../domain/clock';
import type { Store } from '../domain/store';
import { refreshNeed } from '../jobs/need';
import { bootOf, observationsOf, openLockout } from '../safety/gate';
import { connect, MIGRATING } from './connect';
import { migrate, schemaUpTo } from './migrate';
import { defineModels } from './models';

/** Why a gate was closed, and an output is not known: what was done after the backup is not in it. */
const whyClosed = (madeAt: string | null): string =>
  `restored from a backup${madeAt ? ` of ${madeAt.slice(0, 16).replace('T', ' ')} UTC` : ''}: prove again`;

/**
 * Makes the schema of an empty database as it was after the named migrations, by our own migrations alone.
 * @throws where the names are not those of this program, in its order
 */
export async function migrateTo(url: string, names: readonly string[]): Promise<void> {
  const sequelize = connect(url, MIGRATING);
  try {
    await schemaUpTo(sequelize, names);
  } finally {
    await sequelize.close();
  }
}

/**
 * What follows once the rows of a backup are in: the schema is brought up to date, every gate is closed and every output is
 * unknown until somebody has looked.
 */
export async function afterRestore(
  url: string,
  { appRole, madeAt }: { appRole: string; madeAt: string | null },
): Promise<void> {
  const sequelize = connect(url, MIGRATING);
  try {
    await migrate(sequelize, appRole || undefined);
    const store: Store = {
      sequelize,
      models: defineModels(sequelize),
      clock: systemClock(),
      ownAddress: '',
      startDue: () => undefined,
    };
    await sequelize.transaction(async (tx) => {
      const why = whyClosed(madeAt);
      await forgetOutputs(sequelize, tx, why);
      await closeEveryGate(store, tx, why);
      await store.models.Audit.create(
        { what: 'restored from a backup', subject: '', detail: why },
        { transaction: tx },
      );
    });
  } finally {
    await sequelize.close();
  }
}

/** An instrument may have been switched on, or off, after the backup was made: nobody knows until somebody looks. */
async function forgetOutputs(sequelize: Sequelize, tx: Transaction, why: string): Promise<void> {
  await sequelize.query(
    `UPDATE instrument_runs SET state = 'interrupted', output = 'unknown', why = $1, ended_at = coalesce(ended_at, now())
     WHERE state = 'running' OR output = 'on'`,
    { bind: [why], transaction: tx },
  );
  await sequelize.query(
    `UPDATE instruments SET unknown_since = now(), unknown_why = $1 WHERE retired_at IS NULL AND NOT kind = ANY($2)`,
    { bind: [why, INSTRUMENT_KINDS.filter(onlyReads)], transaction: tx },
  );
}

async function closeEveryGate(store: Store, tx: Transaction, why: string): Promise<void> {
  const jobs = await store.sequelize.query<{ id: string }>(
    "SELECT DISTINCT j.id FROM jobs j JOIN observations o ON o.job_id = j.id WHERE o.topic = 'make-safe' AND o.kind = 'begin'",
    { transaction: tx, type: QueryTypes.SELECT },
  );
  for (const { id } of jobs) {
    const rows = await observationsOf(store, id, 'make-safe', tx);
    if (!openLockout(rows)) continue;
    const moment = store.clock.now();
    // Not before the entries that it ends, whatever the clock of the machine that made them said.
    const at = new Date(Math.max(moment.wallMs, ...rows.map((r) => r.recordedAt.getTime())));
    await store.models.Observation.create(
      {
        id: crypto.randomUUID(),
        jobId: id,
        topic: 'make-safe',
        kind: 'close',
        data: { reason: 'restored', note: why, boot: bootOf(moment) },
        stage: 'make-safe',
        observedAt: at,
        recordedAt: at,
        personId: null,
        supersedes: null,
        reason: '',
      },
      { transaction: tx },
    );
    await store.models.Audit.create(
      { jobId: id, what: 'make safe', subject: 'close', detail: why },
      { transaction: tx },
    );
    await store.models.Clock.update(
      { doneAt: new Date() },
      { where: { jobId: id, kind: 'capacitors', doneAt: null }, transaction: tx },
    );
    await refreshNeed(store, tx, id);
  }
}
