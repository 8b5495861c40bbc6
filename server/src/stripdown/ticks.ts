import type { TickData } from '@cellmend/contract/stripdown';
import type { Tick } from '@cellmend/core/stripdown';
import type { Transaction } from 'sequelize';
import type { ObservationFacts } from '../db/rows';
import { observationsOf } from '../safety/gate';
import type { Store } from '../domain/store';

/** Every tick of a job as it is kept, in order. */
export const tickRows = (store: Store, jobId: string, tx?: Transaction): Promise<ObservationFacts[]> =>
  observationsOf(store, jobId, 'strip-down', tx);

/** What was taken off and put on in a job, in order. */
export const ticksOf = async (store: Store, jobId: string, tx?: Transaction): Promise<Tick[]> =>
  (await tickRows(store, jobId, tx)).map((r) => r.data as TickData);
