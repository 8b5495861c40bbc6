import { bodyOf } from '@cellmend/contract/decisions';
import type { LookingBack, OutcomeData } from '@cellmend/contract/learn';
import type { PlanStep } from '@cellmend/core/bench';
import { MOVED_SAYS, movedOf } from '@cellmend/core/balance';
import { calibration, forecastOf, hitRates, wilson } from '@cellmend/core/learn';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { ENDINGS, measureFacts } from '@cellmend/core/route';
import { buildOf } from '@cellmend/core/stripdown';
import { QueryTypes } from 'sequelize';
import { usualHours } from '../bench/atWork';
import type { Store } from '../domain/store';
import { WAY_IN } from './outcomes';

/** A repair that holds a year is one. Common practice, no source. */
const YEAR_MS = 365 * 86_400_000;
/** What is looked back on at most: the newest of each. */
const MOST = 20_000;

interface JobLine {
  id: string;
  number: number;
  title: string;
  complaint: string;
  packId: string;
  profileId: string;
  model: string;
  openedAt: Date;
}
interface Signed {
  jobId: string;
  topic: 'hand-over' | 'reopen' | 'measures';
  body: unknown;
  at: Date;
}

/** Everything that this workshop’s own jobs say of its verdicts, repairs, donors and forecasts. Reads only. */
export async function lookBack(store: Store): Promise<LookingBack> {
  const ask = <T extends object>(sql: string): Promise<T[]> =>
    store.sequelize.query<T>(sql, { type: QueryTypes.SELECT, replacements: { most: MOST } });
  const [jobs, signed, outcomes, fitted, ticks] = await Promise.all([
    ask<JobLine>(
      `SELECT j.id, j.number, j.title, j.complaint, j.pack_id AS "packId", p.id AS "profileId", p.name AS model, j.opened_at AS "openedAt"
         FROM jobs j JOIN packs k ON k.id = j.pack_id JOIN pack_profiles p ON p.id = k.profile_id ORDER BY j.number DESC LIMIT :most`,
    ),
    ask<Signed>(
      `SELECT job_id AS "jobId", topic, body, signed_at AS at FROM decisions
        WHERE topic IN ('hand-over', 'reopen', 'measures') ORDER BY signed_at, version LIMIT :most`,
    ),
    ask<{ jobId: string; place: string; data: OutcomeData }>(
      `SELECT o.job_id AS "jobId", o.subject AS place, o.data FROM observations o WHERE o.topic = 'outcome' AND o.kind = 'opened'
          AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id) ORDER BY o.seq DESC LIMIT :most`,
    ),
    ask<{ jobId: string; origin: string }>(
      `SELECT DISTINCT s.job_id AS "jobId", coalesce(f.facts->>'origin', '') AS origin FROM placements s
         JOIN LATERAL (SELECT facts FROM part_facts f WHERE f.part_id = s.part_id ORDER BY version DESC LIMIT 1) f ON true
        WHERE s.kind = 'pack' AND s.job_id IS NOT NULL
          AND EXISTS (SELECT 1 FROM placements e WHERE e.part_id = s.part_id AND e.seq < s.seq) LIMIT :most`,
    ),
    ask<{ jobId: string; part: string; minutes: number }>(
      `SELECT o.job_id AS "jobId", o.subject AS part, (o.data->>'minutes')::float8 AS minutes FROM observations o
        WHERE o.topic = 'strip-down' AND o.data->>'off' = 'true' AND o.data->>'minutes' IS NOT NULL
          AND coalesce((SELECT n.data->>'mistake' FROM observations n WHERE n.job_id = o.job_id AND n.topic = 'strip-down' AND n.subject = o.subject AND n.seq > o.seq ORDER BY n.seq LIMIT 1), 'false') <> 'true'
        ORDER BY o.seq DESC LIMIT :most`,
    ),
  ]);
  const decisions = new Map<string, Signed[]>();
  for (const d of signed) decisions.set(d.jobId, [...(decisions.get(d.jobId) ?? []), d]);

  const onPack = new Map<string, JobLine[]>();
  for (const j of jobs) onPack.set(j.packId, [...(onPack.get(j.packId) ?? []), j]);
  /** Since when a job counts as repaired, and what came of it. */
  const endings: Record<string, number> = {};
  const repaired = jobs.flatMap((j) => {
    const own = decisions.get(j.id) ?? [];
    const sheets = own.flatMap((d) => {
      const body = d.topic === 'hand-over' ? bodyOf(d.body) : null;
      return body?.topic === 'hand-over' && body.ending ? [{ ending: body.ending, at: d.at }] : [];
    });
    const last = sheets.at(-1);
    if (last) endings[ENDINGS[last.ending]] = (endings[ENDINGS[last.ending]] ?? 0) + 1;
    const first = sheets.find((s) => s.ending === 'repaired');
    if (!first) return [];
    const soon = (at: Date): boolean => at > first.at && at.getTime() - first.at.getTime() <= YEAR_MS;
    const again = own.find((d) => d.topic === 'reopen' && soon(d.at));
    const reopened = again ? bodyOf(again.body) : null;
    const other = onPack.get(j.packId)!.find((o) => o.id !== j.id && soon(o.openedAt));
    const list = own
      .filter((d) => d.topic === 'measures' && d.at <= first.at)
      .map((d) => bodyOf(d.body))
      .at(-1);
    const kinds =
      list?.topic === 'measures'
        ? [...new Set(list.measures.filter((m) => m.dropped === '').map((m) => measureFacts(m.kind).name))]
        : [];
    return [
      {
        job: j,
        kinds,
        back: again !== undefined || other !== undefined,
        why:
          reopened?.topic === 'reopen'
            ? reopened.why
            : other
              ? `job ${other.number}: ${other.complaint || other.title}`
              : '',
      },
    ];
  });
  const share = (own: { back: boolean }[]) => wilson(own.filter((r) => r.back).length, own.length);
  const grouped = <T extends { back: boolean }>(rows: T[], keys: (row: T) => string[]) => {
    const by = new Map<string, T[]>();
    for (const r of rows) for (const k of keys(r)) by.set(k, [...(by.get(k) ?? []), r]);
    return [...by].sort((a, b) => b[1].length - a[1].length || (a[0] < b[0] ? -1 : 1));
  };

  const told = outcomes.map((o) => ({ ...o.data, jobId: o.jobId, place: o.place }));
  const modelOf = new Map(jobs.map((j) => [j.id, j]));
  const answered = new Set(told.map((o) => o.jobId));
  const byJob = new Map(repaired.map((r) => [r.job.id, r]));
  const models = [...new Set(jobs.map((j) => j.profileId))].map((profileId) => {
    const own = jobs.filter((j) => j.profileId === profileId);
    // A job counts once somebody has looked, or it is closed: one that is only open says nothing of what fails.
    const looked = own.filter(
      (j) => answered.has(j.id) || (decisions.get(j.id) ?? []).some((d) => d.topic === 'hand-over'),
    );
    const failed = new Map<string, Set<string>>();
    for (const o of told)
      if (o.was === 'confirmed' && o.verdict !== WAY_IN && modelOf.get(o.jobId)?.profileId === profileId)
        failed.set(o.place, (failed.get(o.place) ?? new Set()).add(o.jobId));
    return {
      profileId,
      name: own[0]!.model,
      jobs: looked.length,
      places: [...failed]
        .map(([place, of]) => ({ place, share: wilson(of.size, looked.length)! }))
        .sort((a, b) => b.share.hits - a.share.hits || (a.place < b.place ? -1 : 1)),
    };
  });

  return {
    verdicts: hitRates(told),
    unclear: told.filter((o) => o.was === 'unclear').length,
    calibration: calibration(told),
    endings,
    back: share(repaired),
    backBy: grouped(repaired, (r) => r.kinds).map(([measure, own]) => ({ measure, share: share(own)! })),
    backJobs: repaired
      .filter((r) => r.back)
      .map((r) => ({ job: r.job.number, title: r.job.title, why: r.why })),
    donors: grouped(
      fitted.flatMap((f) => {
        const own = byJob.get(f.jobId);
        return own ? [{ back: own.back, origin: f.origin || 'origin not known' }] : [];
      }),
      (f) => [f.origin],
    ).map(([origin, own]) => ({ origin, back: share(own)! })),
    minutes: await minutesOf(store, jobs, ticks),
    forecasts: await forecastsOf(store, decisions),
    models: models.filter((m) => m.jobs > 0).sort((a, b) => b.jobs - a.jobs),
  };
}

/** Strip down as it was timed against the minutes of its profile, a job at a time. */
async function minutesOf(
  store: Store,
  jobs: JobLine[],
  ticks: { jobId: string; part: string; minutes: number }[],
): Promise<LookingBack['minutes']> {
  const profileOf = new Map(jobs.map((j) => [j.id, j.profileId]));
  const wanted = new Set(ticks.map((t) => profileOf.get(t.jobId)));
  const rows = await store.models.PackProfile.findAll({
    where: { id: [...wanted].filter((id) => id !== undefined) },
  });
  const told = new Map(
    rows.map((r) => [
      r.id,
      new Map(buildOf(normalisePack(r.profile as PackProfile)).parts.map((p) => [p.id, p.minutes])),
    ]),
  );
  const by = new Map<string, { foretold: number; actual: number }>();
  for (const t of ticks) {
    const profile = profileOf.get(t.jobId);
    const foretold = profile === undefined ? undefined : told.get(profile)?.get(t.part);
    if (foretold === undefined) continue;
    const sum = by.get(t.jobId) ?? { foretold: 0, actual: 0 };
    by.set(t.jobId, { foretold: sum.foretold + foretold, actual: sum.actual + t.minutes });
  }
  return forecastOf([...by.values()]);
}

/** Hours of the bench, charge after a repair and quotes, as they were foretold and as they came. */
async function forecastsOf(
  store: Store,
  decisions: ReadonlyMap<string, Signed[]>,
): Promise<LookingBack['forecasts']> {
  const ask = <T extends object>(sql: string): Promise<T[]> =>
    store.sequelize.query<T>(sql, {
      type: QueryTypes.SELECT,
      replacements: { most: MOST, moved: MOVED_SAYS },
    });
  const [runs, days, levels, charges, quotes] = await Promise.all([
    // A run that came to its end: its steps as its recipe planned them, against the time it took.
    ask<{ plan: PlanStep[]; actual: number }>(
      `SELECT r.parameters->'plan' AS plan, (r.control->>'timeS')::float8 AS actual FROM instrument_runs r
        WHERE r.state = 'done' AND r.output = 'off' AND jsonb_exists(r.parameters, 'plan') ORDER BY r.started_at DESC LIMIT :most`,
    ),
    // The first plan of days that a job was gone by, against when the last of what was on it had run.
    ask<{ foretold: number; actual: number }>(
      `SELECT extract(epoch FROM (p.data->>'endsAt')::timestamptz - p.observed_at)::float8 / 3600 AS foretold,
              extract(epoch FROM done.last - p.observed_at)::float8 / 3600 AS actual
         FROM (SELECT DISTINCT ON (job_id) * FROM observations WHERE topic = 'bench' AND kind = 'plan' ORDER BY job_id, seq) p
         JOIN LATERAL (SELECT count(*) AS n, max(first) AS last FROM (
             SELECT r.subject, min(r.observed_at) AS first FROM observations r WHERE r.job_id = p.job_id AND r.topic = 'bench' AND r.kind = 'run'
                AND r.observed_at > p.observed_at AND jsonb_exists(p.data->'sets', r.subject)
                AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = r.id) GROUP BY r.subject) every) done ON true
        WHERE done.n = jsonb_array_length(p.data->'sets') AND (p.data->>'endsAt')::timestamptz > p.observed_at LIMIT :most`,
    ),
    // What a newcomer was to take to come level, against what its last rest on the way says it took, of those that went in.
    ask<{ foretold: number; said: string }>(
      `SELECT DISTINCT ON (f.job_id, f.input_ids->>1) (f.result->>'chargeAh')::float8 AS foretold, o.said
         FROM findings f
         JOIN LATERAL (SELECT data->>'text' AS said FROM observations WHERE part_id::text = f.input_ids->>1 AND topic = 'reading' AND kind = 'voltage'
             AND data->>'text' LIKE '%' || :moved AND recorded_at > f.created_at ORDER BY seq DESC LIMIT 1) o ON true
        WHERE f.topic = 'balance' AND EXISTS (SELECT 1 FROM placements p WHERE p.part_id::text = f.input_ids->>1 AND p.kind = 'pack' AND p.job_id = f.job_id)
        ORDER BY f.job_id, f.input_ids->>1, f.created_at DESC LIMIT :most`,
    ),
    // What all suspects mended would give, by the finding before, against what the one after measured.
    ask<{ foretold: number; actual: number }>(
      `SELECT (b.result#>>'{mendedAh,value}')::float8 AS foretold, (a.result#>>'{capacityAh,value}')::float8 AS actual
         FROM (SELECT DISTINCT job_id FROM findings WHERE topic = 'spread' AND subject = 'after') j
         JOIN LATERAL (SELECT result FROM findings WHERE job_id = j.job_id AND topic = 'spread' AND subject = 'before' ORDER BY created_at DESC LIMIT 1) b ON true
         JOIN LATERAL (SELECT result FROM findings WHERE job_id = j.job_id AND topic = 'spread' AND subject = 'after' ORDER BY created_at DESC LIMIT 1) a ON true
        WHERE b.result#>>'{mendedAh,value}' IS NOT NULL AND a.result#>>'{capacityAh,value}' IS NOT NULL LIMIT :most`,
    ),
    ask<{ jobId: string; likely: number }>(
      `SELECT DISTINCT ON (o.job_id) o.job_id AS "jobId", (c->'cost'->>'likely')::float8 AS likely
         FROM observations o CROSS JOIN LATERAL jsonb_array_elements(o.data->'options') c
        WHERE o.topic = 'quote' AND o.data->>'chosen' IS NOT NULL AND c->>'name' = o.data->>'chosen'
          AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id) ORDER BY o.job_id, o.seq DESC LIMIT :most`,
    ),
  ]);
  const cameTo = (jobId: string): number | null => {
    const sheet = (decisions.get(jobId) ?? []).filter((d) => d.topic === 'hand-over').at(-1);
    const body = sheet ? bodyOf(sheet.body) : null;
    return body?.topic === 'hand-over' ? (body.cameTo ?? null) : null;
  };
  const pairs = {
    'bench hours': runs.map((r) => ({ foretold: usualHours(r.plan), actual: r.actual / 3600 })),
    'bench days': days,
    'charge to level': levels.flatMap((l) => {
      const actual = Math.abs(movedOf(l.said) ?? 0);
      return l.foretold > 0 && actual > 0 ? [{ foretold: l.foretold, actual }] : [];
    }),
    'charge after repair': charges,
    quote: quotes.flatMap((q) => {
      const actual = cameTo(q.jobId);
      return actual === null ? [] : [{ foretold: q.likely, actual }];
    }),
  } as const;
  return (Object.keys(pairs) as (keyof typeof pairs)[]).flatMap((what) => {
    const told = forecastOf(pairs[what]);
    return told ? [{ what, ...told }] : [];
  });
}
