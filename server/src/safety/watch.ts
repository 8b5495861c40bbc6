import type { WatchPoint } from '@cellmend/core/safety';
import type { Transaction } from 'sequelize';
import type { Store } from '../http/context';

/** Temperatures logged for a thermal watch of a job, corrections applied, by the time they were taken. */
export async function watchTemperatures(
  store: Store,
  jobId: string,
  tx?: Transaction,
): Promise<WatchPoint[]> {
  const rows = await store.models.Reading.findAll({
    where: { jobId, kind: 'temperature', conditions: 'thermal watch' },
    transaction: tx ?? null,
  });
  const old = new Set(rows.map((r) => r.supersedes));
  return rows
    .filter((r) => !old.has(r.id) && r.value !== null)
    .map((r) => ({ timeS: r.observedAt.getTime() / 1000, temperatureC: r.value! }))
    .sort((a, b) => a.timeS - b.timeS);
}
