import { normalisePack } from '@cellmend/core/pack';
import { placesOf, routeOf } from '@cellmend/core/route';
import type { Transaction } from 'sequelize';
import type { Store } from '../domain/store';
import { isMapOpen } from '@cellmend/contract/mapOpen';
import { mapCheck } from '../scans/mapCheck';
import { factsOf } from './facts';
import { withPack } from './find';

/** Works out anew what the board shows of a job; called in the transaction of every write to it. */
export async function refreshNeed(store: Store, tx: Transaction, jobId: string): Promise<void> {
  const { job, pack, profile } = await withPack(
    store,
    // One at a time: who comes second sees what the first wrote. Others may go on adding to the job.
    (await store.models.Job.findByPk(jobId, { transaction: tx, lock: tx.LOCK.NO_KEY_UPDATE }))!,
    tx,
  );
  const facts = await factsOf(store, job, profile, tx);
  // Two maps fit what was metered: the board names no module before one of them is signed.
  const mapOpen =
    facts.route.headline !== '' &&
    facts.route.measures === null &&
    isMapOpen(await mapCheck(store, { job, pack, profile }, tx));
  if (mapOpen) facts.route.headline = 'Two maps fit what was metered: sign one first';
  const { next } = routeOf(facts.route);
  const clock = await store.models.Clock.findOne({
    where: { jobId, doneAt: null },
    order: [['endsAt', 'ASC']],
    transaction: tx,
  });
  const out = placesOf(facts.route.measures ?? [], 'replace-module');
  const replaced = facts.route.fitted.map((f) => f.place);
  const chosen = facts.route.chosen.map((c) => c.place).filter((p) => out.includes(p));
  const marks = normalisePack(profile).modules.flatMap(
    (m): { module: number; kind: 'suspect' | 'replaced' }[] =>
      replaced.includes(m.id) || chosen.includes(m.id)
        ? [{ module: m.index, kind: 'replaced' }]
        : !mapOpen && facts.suspects.includes(m.id)
          ? [{ module: m.index, kind: 'suspect' }]
          : [],
  );
  const closed = next.need === 'Closed';
  const shown =
    clock && !closed && !facts.route.stop
      ? { need: clock.label, detail: next.detail, stage: clock.stage }
      : next;
  await job.update(
    {
      need: shown.need,
      needDetail: shown.detail,
      needStage: shown.stage,
      needSince: job.need === shown.need ? job.needSince : new Date(),
      dueAt: clock && !closed ? clock.endsAt : null,
      closedAt: closed ? (job.closedAt ?? new Date()) : null,
      marks,
    },
    { transaction: tx },
  );
}
