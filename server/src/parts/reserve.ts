import type { DecisionBody } from '@cellmend/contract/decisions';
import { placesOf } from '@cellmend/core/route';
import { randomUUID } from 'node:crypto';
import { Op } from 'sequelize';
import type { JobRow } from '../db/rows';
import { announce, type Doing, type Store } from '../domain/store';

/**
 * Holds the donors of a signed choice for their job and lets go of those that are chosen no more. The database lets a
 * part be held once.
 */
export async function reserve(store: Store, doing: Doing, job: JobRow, body: DecisionBody): Promise<void> {
  const ends =
    body.topic === 'match'
      ? { jobId: job.id, endedAt: null, partId: { [Op.notIn]: body.choices.map((c) => c.partId) } }
      : body.topic === 'measures'
        ? // What is not to be replaced any more holds no donor.
          {
            jobId: job.id,
            endedAt: null,
            place: { [Op.notIn]: placesOf(body.measures, 'replace-module') },
          }
        : body.topic === 'hand-over'
          ? { jobId: job.id, endedAt: null }
          : null;
  if (!ends) return;
  const transaction = doing.tx;
  await store.models.Reservation.update({ endedAt: new Date() }, { where: ends, transaction });
  if (body.topic === 'match') {
    const held = await store.models.Reservation.findAll({
      where: { jobId: job.id, endedAt: null },
      transaction,
    });
    for (const { partId, place } of body.choices) {
      const own = held.find((r) => r.partId === partId);
      if (own?.place === place) continue;
      if (own) await own.update({ endedAt: new Date() }, { transaction });
      await store.models.Reservation.create(
        { id: randomUUID(), partId, jobId: job.id, place, personId: doing.person.id },
        { transaction },
      );
    }
  }
  await announce(store, doing.tx, 'stock', null);
}
