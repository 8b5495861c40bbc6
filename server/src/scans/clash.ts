import type { Transaction } from 'sequelize';
import { select } from '../db/select';
import { Refusal } from '../domain/refusal';
import type { Store } from '../domain/store';

export interface PartMoved {
  place: string;
  way: 'in' | 'out';
  at: Date;
}

/** Parts that this job took out of its pack or put in, oldest first; of a job that came back, since it did. */
export const partsMoved = (store: Store, jobId: string, tx?: Transaction): Promise<PartMoved[]> =>
  select(
    store,
    `SELECT coalesce(nullif(p.place, ''), b.place, '') AS place, CASE WHEN p.kind = 'pack' THEN 'in' ELSE 'out' END AS way, p.at
       FROM placements p
       LEFT JOIN LATERAL (SELECT place, kind FROM placements b WHERE b.part_id = p.part_id AND b.seq < p.seq ORDER BY b.seq DESC LIMIT 1) b ON true
      WHERE p.job_id = :jobId AND (p.kind = 'pack' OR b.kind = 'pack')
        AND p.at > coalesce((SELECT max(signed_at) FROM decisions WHERE job_id = :jobId AND topic = 'reopen'), '-infinity')
      ORDER BY p.seq`,
    { jobId },
    tx,
  );

const moment = (at: Date): string =>
  at.toLocaleString('en-GB', { day: 'numeric', month: 'long', hour: '2-digit', minute: '2-digit' });

/** In words what of the work a record of that time cannot be: before the repair though a part was out, after it though none was. */
export function clashWords(
  role: 'before' | 'after',
  { beganMs, endedMs }: { beganMs: number; endedMs: number },
  moved: readonly PartMoved[],
): string | null {
  const [first] = moved;
  if (!first) return null;
  const did = `${first.place} ${first.way === 'in' ? 'went in' : 'came out'} on ${moment(first.at)}`;
  if (role === 'before' && beganMs > first.at.getTime())
    return `It was recorded on ${moment(new Date(beganMs))}, and ${did}: that is not the pack as it came.`;
  const fitted = moved.find((m) => m.way === 'in');
  if (role === 'after' && fitted && endedMs < fitted.at.getTime())
    return `It had ended on ${moment(new Date(endedMs))}, and ${fitted.place} went in on ${moment(fitted.at)}: it shows nothing of the repair.`;
  return null;
}

/**
 * A record belongs before or after the repair by when it was made, and by what had been done to the pack by then.
 * @throws 422 Where its time and its place in the work cannot both be so.
 */
export async function refuseClash(
  store: Store,
  jobId: string,
  role: 'before' | 'after',
  /** When it was made; null where nobody knows. */
  startedAt: Date | null,
  durationS: number,
  tx?: Transaction,
  /** When it was taken in, where it stands already: what was moved later is no work of its own. */
  takenIn?: Date,
): Promise<void> {
  if (!startedAt) return;
  const beganMs = startedAt.getTime();
  const says = clashWords(
    role,
    { beganMs, endedMs: beganMs + durationS * 1000 },
    (await partsMoved(store, jobId, tx)).filter((m) => !takenIn || m.at <= takenIn),
  );
  if (says)
    throw new Refusal('notPossible', 'Before or after the repair?', says, {
      accepted: `The same record as made ${role === 'before' ? 'after' : 'before'} the repair, or with its clock told to be wrong.`,
      fields: [{ field: 'role', message: says }],
      type: 'urn:cellmend:record-order',
    });
}
