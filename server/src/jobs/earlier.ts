import { bodyOf } from '@cellmend/contract/decisions';
import type { Job } from '@cellmend/contract/jobs';
import { ENDINGS } from '@cellmend/core/route';
import { select } from '../db/select';
import type { JobRow } from '../db/rows';
import type { Store } from '../domain/store';

/** The newest decision of one topic of a job. */
const NEWEST = (topic: 'intake' | 'hand-over'): string =>
  `LATERAL (SELECT body, signed_at FROM decisions d WHERE d.job_id = j.id AND d.topic = '${topic}' ORDER BY version DESC LIMIT 1)`;

/** What was done before to the pack of a job, or to its vehicle: each job with its ending, its odometer and what it put into this pack. */
export async function earlierJobs(store: Store, job: JobRow): Promise<Job['earlier']> {
  const rows = await select<{
    number: number;
    title: string;
    openedAt: Date;
    intake: unknown;
    sheet: unknown;
    endedAt: Date | null;
    parts: { place: string; label: string }[] | null;
  }>(
    store,
    `SELECT j.number, j.title, j.opened_at AS "openedAt", i.body AS intake, h.body AS sheet, h.signed_at AS "endedAt",
        (SELECT json_agg(json_build_object('place', s.place, 'label', p.label) ORDER BY s.seq)
           FROM placements s JOIN parts p ON p.id = s.part_id
          WHERE s.job_id = j.id AND s.kind = 'pack' AND s.pack_id = :pack) AS parts
       FROM jobs j LEFT JOIN ${NEWEST('intake')} i ON true LEFT JOIN ${NEWEST('hand-over')} h ON true
      WHERE j.number < :number AND (j.pack_id = :pack OR j.vehicle_id = :vehicle) ORDER BY j.number DESC LIMIT 20`,
    { number: job.number, pack: job.packId, vehicle: job.vehicleId },
  );
  return rows.map((r) => {
    const intake = r.intake ? bodyOf(r.intake) : null;
    const sheet = r.sheet ? bodyOf(r.sheet) : null;
    return {
      number: r.number,
      title: r.title,
      openedAt: r.openedAt.toISOString(),
      ending: sheet?.topic === 'hand-over' && sheet.ending ? ENDINGS[sheet.ending] : null,
      endedAt: r.endedAt?.toISOString() ?? null,
      odometerKm: intake?.topic === 'intake' ? intake.odometerKm : null,
      parts: r.parts ?? [],
      ...(sheet?.topic === 'hand-over' && sheet.warranty ? { warranty: sheet.warranty } : {}),
    };
  });
}
