import { SayMomentSchema } from '@cellmend/contract/scans';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { moveVehicleFigures } from '../insulation/fromScan';
import { markDue } from '../findings/due';
import { findJob } from '../jobs/find';
import { keepObservation } from '../records/observe';
import { refuseClash } from './clash';
import { saidMoments } from './moments';
import { findScanOf } from './store';

/** A clock of another time zone or of a vehicle may be ahead of ours by so much, ms. */
const AHEAD_MS = 86_400_000;

/** Says when a record was made. One that has a time already is corrected with a reason. @throws 404, 422 */
export async function sayMoment(
  store: Store,
  doing: Doing,
  number: unknown,
  scanId: string,
  body: unknown,
): Promise<{ at: string; jobId: string; role: 'before' | 'after' }> {
  const { at, reason } = SayMomentSchema.parse(body);
  const { job } = await findJob(store, number, doing.tx);
  const scan = await findScanOf(store, job.id, scanId, doing.tx);
  const moment = new Date(at);
  if (moment.getTime() > store.clock.now().wallMs + AHEAD_MS)
    throw new Refusal('unacceptable', 'Cannot be accepted', 'That is yet to come.', {
      fields: [{ field: 'at', message: 'When it was recorded: now, or before.' }],
    });
  const before = (await saidMoments(store, job.id, doing.tx)).get(scanId);
  if ((before || scan.startedAt) && reason.length < 3)
    throw new Refusal('unacceptable', 'Cannot be accepted', `${scan.name} has a time already.`, {
      fields: [{ field: 'reason', message: 'Why it is another.' }],
    });
  await refuseClash(store, job.id, scan.role, moment, scan.durationS, doing.tx, scan.createdAt);
  await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'record',
    kind: 'moment',
    data: { scanId, at: moment.toISOString() },
    stage: 'scan',
    corrects: before ? { supersedes: before.id, reason } : null,
  });
  await audit(
    store,
    doing,
    job.id,
    'time of a record said',
    scan.name,
    [moment.toISOString(), reason].filter(Boolean).join(', '),
  );
  await moveVehicleFigures(store, doing, job.id, scan, moment, reason);
  await markDue(store, doing, job.id, 'spread', scan.role);
  await markDue(store, doing, job.id, 'insulation');
  await announce(store, doing.tx, 'scans', job.number);
  return { at: moment.toISOString(), jobId: job.id, role: scan.role };
}
