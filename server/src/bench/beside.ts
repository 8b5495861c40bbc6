import type { Beside } from '@cellmend/contract/bench';
import type { ControlState, PlanStep } from '@cellmend/core/bench';
import { schoolsOf, type SchoolRun } from '@cellmend/core/learn';
import { normalisePack } from '@cellmend/core/pack';
import { QueryTypes } from 'sequelize';
import type { Store } from '../domain/store';
import { findJob } from '../jobs/find';
import { shown, usualHours } from './atWork';

/** Runs that are looked back on at most, the newest. */
const MOST = 3000;

/** What else is on the bench, or waits for it, besides one job; and what each way of conditioning has brought here. */
export async function viewBeside(store: Store, number: unknown): Promise<Beside> {
  const { job, profile, pack } = await findJob(store, number);
  const [running, alike, runs] = await Promise.all([
    store.sequelize.query<{
      job: number;
      place: string;
      plan: PlanStep[];
      control: ControlState | null;
      scale: number;
    }>(
      `SELECT j.number AS job, r.parameters->>'place' AS place, r.parameters->'plan' AS plan, r.control, i.time_scale AS scale
         FROM instrument_runs r JOIN jobs j ON j.id = r.job_id JOIN instruments i ON i.id = r.instrument_id
        WHERE r.state = 'running' AND jsonb_exists(r.parameters, 'plan') AND j.id <> :job`,
      { replacements: { job: job.id }, type: QueryTypes.SELECT },
    ),
    store.sequelize.query<{ id: string; job: number; title: string }>(
      `SELECT j.id, j.number AS job, j.title FROM jobs j JOIN packs k ON k.id = j.pack_id
        WHERE j.closed_at IS NULL AND j.id <> :job AND k.profile_id = :profile ORDER BY j.number LIMIT 20`,
      { replacements: { job: job.id, profile: pack.profileId }, type: QueryTypes.SELECT },
    ),
    // Of each run only what is asked: its course would be a thousand times as much.
    store.sequelize.query<{ job_id: string; place: string } & SchoolRun & { lower: boolean }>(
      `SELECT * FROM (SELECT o.job_id, o.subject AS place, o.data->>'recipe' AS recipe, (o.data->>'capacityAh')::float8 AS "capacityAh",
              (o.data->>'lowerBound')::boolean AS lower, o.observed_at, o.seq FROM observations o
        WHERE o.topic = 'bench' AND o.kind = 'run' AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id)
        ORDER BY o.observed_at DESC, o.seq DESC LIMIT :most) AS r ORDER BY observed_at, seq`,
      { replacements: { most: MOST }, type: QueryTypes.SELECT },
    ),
  ]);
  const by = new Map<string, SchoolRun[]>();
  const measured = new Set<string>();
  for (const { job_id, place, recipe, capacityAh, lower } of runs) {
    const key = `${job_id} ${place}`;
    const whole = lower ? null : capacityAh;
    by.set(key, [...(by.get(key) ?? []), { recipe, capacityAh: whole }]);
    if (whole !== null) measured.add(key);
  }
  const places = normalisePack(profile).modules.map((m) => m.id);
  return {
    running: running.map(({ job: of, place, plan, control, scale }) => ({
      job: of,
      place,
      leftH: (control ? (shown(plan, control).runLeftS ?? 0) / 3600 : usualHours(plan)) / scale,
    })),
    alike: alike
      .map(({ id, job: of, title }) => ({
        job: of,
        title,
        places: places.filter((p) => !measured.has(`${id} ${p}`)),
      }))
      .filter((a) => a.places.length > 0),
    schools: schoolsOf([...by.values()]),
  };
}
