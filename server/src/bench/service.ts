import {
  NewHoldSchema,
  NewPlanSchema,
  NewRunSchema,
  NotRunSchema,
  RunFileQuerySchema,
  type BenchView,
  type HoldBeginSchema,
  type Run,
  type RunData,
} from '@cellmend/contract/bench';
import {
  judgeTendedRecovery,
  limitsCrossed,
  recipesFor,
  type Recipe,
  type RecipeId,
} from '@cellmend/core/bench';
import {
  cellsAt,
  judgeAt,
  normalisePack,
  possibleV,
  type PackProfile,
  type VoltagePlace,
} from '@cellmend/core/pack';
import { format, parseISO } from 'date-fns';
import { createHash } from 'node:crypto';
import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import { Op } from 'sequelize';
import type { z } from 'zod';
import type { JobRow, ObservationRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import { measuredAlone } from '../parts/donors';
import { findJob } from '../jobs/find';
import { refreshNeed } from '../jobs/need';
import { keepObservation } from '../records/observe';
import { addCheck } from '../records/checks';
import { keepReading, STANDING } from '../records/readings';
import { namesOf } from '../safety/gate';
import { runFor } from '../scans/work';

const MOST_RUNS = 2000;
const zip = promisify(gzip);

const refuse = (field: string, detail: string, message: string): Refusal =>
  new Refusal('unacceptable', 'Cannot be accepted', detail, { fields: [{ field, message }] });

/** The place of what is run at the terminals of the whole pack. */
export const WHOLE_PACK = '';

/** The module of a place, or the pack where none is named. @throws 400 */
export function unitOf(profile: PackProfile, place: string) {
  const pack = normalisePack(profile);
  const at = (target: VoltagePlace) => ({ pack, target, cells: cellsAt(pack, target) });
  if (place === WHOLE_PACK) return at({ kind: 'pack' });
  const module = pack.modules.find((m) => m.id === place);
  if (!module)
    throw refuse('place', `The pack has no module ${place}.`, `A module such as ${pack.modules[0]!.id}.`);
  return at({ kind: 'module', index: module.index });
}

/** Refuses what no module of that size can show or hold. */
function mustBePossible(
  profile: PackProfile,
  place: string,
  run: { capacityAh: number | null; volts: (number | null)[] },
): void {
  const { pack, target, cells } = unitOf(profile, place);
  for (const v of run.volts) {
    if (v === null) continue;
    const judged = judgeAt(pack, target, v);
    if (judged.state === 'impossible') {
      const { leastV, mostV } = possibleV(profile, cells);
      throw refuse('endV', judged.says, `${leastV.toFixed(1)} to ${mostV.toFixed(1)} V at this module.`);
    }
  }
  if (run.capacityAh !== null && run.capacityAh > 2 * profile.ratedCapacityAh)
    throw refuse(
      'capacityAh',
      `${run.capacityAh} A·h is more than twice what a module of this pack is rated for.`,
      `Up to ${2 * profile.ratedCapacityAh} A·h.`,
    );
}

export const recipeOf = (profile: PackProfile, id: RecipeId) => recipesFor(profile).find((r) => r.id === id);

/** Keeps a run; what it measured whole is a capacity of its place as well, as if it had been jotted. */
export async function keepRun(
  store: Store,
  doing: Doing,
  { job, profile }: { job: JobRow; profile: PackProfile },
  place: string,
  observedAt: Date,
  data: RunData,
): Promise<Run> {
  const held = await store.models.Observation.count({
    where: { jobId: job.id, topic: 'bench' },
    transaction: doing.tx,
  });
  if (held >= MOST_RUNS)
    throw new Refusal('conflict', 'Too many runs', `A job holds up to ${MOST_RUNS} runs.`);
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'bench',
    kind: 'run',
    data,
    subjectKind: 'place',
    subject: place,
    stage: 'bench',
    observedAt,
  });
  if (data.capacityAh !== null && !data.lowerBound)
    await keepReading(store, doing, job.id, profile, {
      kind: 'capacity',
      place,
      value: Number(data.capacityAh.toPrecision(4)),
      text: '',
      instrument: data.from === 'hand' ? '' : data.name,
      conditions: 'bench run',
      stage: 'bench',
      observedAt,
      supersedes: null,
      reason: '',
    });
  const told =
    data.capacityAh === null
      ? data.recipe
      : `${data.lowerBound ? 'at least ' : ''}${Number(data.capacityAh.toPrecision(4))} A·h`;
  await audit(store, doing, job.id, 'bench run', place, [told, ...data.says].join(' ').slice(0, 1000));
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'bench', job.number);
  return { ...data, id: row.id, place, by: doing.person.name, at: observedAt.toISOString() };
}

/** A recovery as it was tended by hand, judged by what a supervised one is asked. @throws 400 without its voltage at rest */
function tendedRecovery(
  profile: PackProfile,
  recipe: Recipe,
  cells: number,
  t: Pick<z.output<typeof NewRunSchema>, 'startV' | 'endV' | 'capacityAh' | 'hottestC' | 'recovery'>,
): ReturnType<typeof judgeTendedRecovery> {
  if (t.startV === null)
    throw refuse(
      'startV',
      'A recovery begins at a voltage that was read at rest.',
      'What it rested at before, V.',
    );
  const unknown = {
    emptyDays: null,
    ageYears: null,
    swollen: null,
    leaked: null,
    outdoors: false,
    somebodyStays: false,
  };
  return judgeTendedRecovery(profile, recipe, {
    ...(t.recovery ?? unknown),
    restV: t.startV,
    cells,
    endV: t.endV,
    putInAh: t.capacityAh,
    hottestC: t.hottestC,
  });
}

/** A run as it was tended and written down by hand. @throws 400 */
export async function addRun(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Run> {
  const { place, observedAt, complete, dropouts, recovery, ...t } = NewRunSchema.parse(body);
  if (t.startC !== null && t.hottestC !== null && t.hottestC < t.startC)
    throw refuse(
      'hottestC',
      `${t.hottestC} °C at the warmest, and ${t.startC} °C at its start: one of the two is not right.`,
      'The warmest of the run, its start included.',
    );
  const found = await findJob(store, number, doing.tx);
  const { cells } = unitOf(found.profile, place);
  mustBePossible(found.profile, place, { capacityAh: t.capacityAh, volts: [t.startV, t.endV] });
  const recipe = recipeOf(found.profile, t.recipe);
  const tended =
    recipe?.id === 'recover' ? tendedRecovery(found.profile, recipe, cells, { ...t, recovery }) : null;
  if (tended)
    await addCheck(store, doing, number, {
      check: 'recovery',
      place,
      passed: tended.passed,
      value: t.endV,
      text: ['By hand.', ...tended.says].join(' ').slice(0, 2000),
    });
  return keepRun(store, doing, found, place, new Date(observedAt), {
    ...t,
    // What was put in says nothing of what it holds.
    ...(tended ? { capacityAh: null } : {}),
    version: recipe?.version ?? 1,
    from: 'hand',
    name: '',
    lowerBound: t.capacityAh !== null && !complete && !tended,
    energyWh: null,
    // How many is known, not when: each counts from nowhere.
    dropoutsAh: Array.from({ length: dropouts }, () => 0),
    held: null,
    says: [...(tended?.says ?? []), ...(recipe ? limitsCrossed(recipe, cells, t) : [])].map((s) =>
      s.slice(0, 400),
    ),
    course: null,
    sha256: null,
  });
}

/** A logged run, read in a thread before anything is written. */
export interface ReadRun {
  query: z.output<typeof RunFileQuerySchema>;
  data: RunData;
  bytes: Buffer;
  readings: Record<string, Float64Array>;
}
export async function readRun(
  store: Store,
  person: string,
  number: unknown,
  rawQuery: unknown,
  text: string,
  signal: AbortSignal,
): Promise<ReadRun> {
  const query = RunFileQuerySchema.parse(rawQuery);
  const { profile } = await findJob(store, number);
  return { query, ...(await readLogged(profile, query, text, 'file', { person, signal })) };
}
/** What a logged run of a module says, worked out in a thread. @throws 400, InputProblem */
export async function readLogged(
  profile: PackProfile,
  query: Pick<ReadRun['query'], 'place' | 'recipe' | 'cutoffV' | 'name'> & { atCutoff?: boolean },
  text: string,
  from: 'file' | 'bench',
  asked: { person: string; signal?: AbortSignal },
): Promise<Pick<ReadRun, 'data' | 'bytes' | 'readings'>> {
  const { cells } = unitOf(profile, query.place);
  const run = await runFor(
    'run',
    { kind: 'run', text, cells, cutoffV: query.cutoffV, atCutoff: query.atCutoff, profile },
    asked,
  );
  const { answer, course, notices, readings, ...ends } = run;
  mustBePossible(profile, query.place, { capacityAh: answer.capacityAh, volts: [ends.startV, ends.endV] });
  const recipe = recipeOf(profile, query.recipe);
  const bytes = await zip(text);
  return {
    bytes,
    readings,
    data: {
      recipe: query.recipe,
      version: recipe?.version ?? 1,
      from,
      name: query.name,
      hours: ends.hours,
      currentA: ends.currentA,
      cutoffV: query.cutoffV,
      capacityAh: answer.capacityAh,
      lowerBound: answer.lowerBound,
      energyWh: answer.energyWh,
      dropoutsAh: answer.dropoutsAh,
      startV: ends.startV,
      endV: ends.endV,
      startC: ends.startC,
      hottestC: ends.hottestC,
      r10sMilliohm:
        answer.pulses.find((p) => p.r10sMilliohm !== null && p.r10sMilliohm > 0)?.r10sMilliohm ?? null,
      note: '',
      held: null,
      says: [
        ...notices,
        ...answer.warnings,
        ...(recipe ? limitsCrossed(recipe, cells, { ...ends, endV: ends.highestV }) : []),
      ].slice(0, 60),
      course,
      sha256: createHash('sha256').update(bytes).digest('hex'),
    },
  };
}
export async function beginHold(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<{ id: string }> {
  const { place, observedAt, ...data } = NewHoldSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  unitOf(profile, place);
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'bench',
    kind: 'hold-begin',
    data,
    subjectKind: 'place',
    subject: place,
    stage: 'bench',
    observedAt: new Date(observedAt),
  });
  await audit(store, doing, job.id, 'hold test begun', place);
  await announce(store, doing.tx, 'bench', job.number);
  return { id: row.id };
}

/** A plan of days that is gone by from now on: Looking back holds it against what came. */
export async function keepPlan(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<{ id: string }> {
  const { observedAt, ...data } = NewPlanSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  for (const place of data.sets) unitOf(profile, place);
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'bench',
    kind: 'plan',
    data,
    subjectKind: 'pack',
    subject: '',
    stage: 'bench',
    observedAt: new Date(observedAt),
  });
  await audit(
    store,
    doing,
    job.id,
    'plan of the bench',
    `${data.sets.join(', ')} until ${format(parseISO(data.endsAt), 'd MMMM HH:mm')}`,
  );
  return { id: row.id };
}

/** It does not hold: another module, a slip, a run that was disturbed. @throws 404, 409 */
export async function withdrawRun(
  store: Store,
  doing: Doing,
  number: unknown,
  id: string,
  body: unknown,
): Promise<{ id: string }> {
  const { reason } = NotRunSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const old = await store.models.Observation.findOne({
    where: { id, jobId: job.id, topic: 'bench' },
    transaction: doing.tx,
  });
  if (!old || old.kind === 'withdrawn') throw notFound('That run');
  await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'bench',
    kind: 'withdrawn',
    data: {},
    subjectKind: 'place',
    subject: old.subject,
    stage: 'bench',
    corrects: { supersedes: id, reason },
  });
  // The capacity that came with it goes with it, unless somebody corrected that already.
  const capacity = await store.models.Observation.findOne({
    where: {
      [Op.and]: [STANDING],
      jobId: job.id,
      topic: 'reading',
      kind: 'capacity',
      subject: old.subject,
      observedAt: old.observedAt,
    },
    order: [['seq', 'DESC']],
    transaction: doing.tx,
  });
  if (capacity?.conditions === 'bench run')
    await keepReading(store, doing, job.id, profile, {
      kind: 'withdrawn',
      place: old.subject,
      value: null,
      text: 'capacity',
      instrument: '',
      conditions: '',
      stage: 'bench',
      observedAt: new Date(),
      supersedes: capacity.id,
      reason,
    });
  await audit(store, doing, job.id, 'bench run withdrawn', old.subject, reason);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'bench', job.number);
  return { id };
}

export async function viewBench(store: Store, number: unknown): Promise<BenchView> {
  const { job } = await findJob(store, number);
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'bench' },
    order: [
      ['observedAt', 'ASC'],
      ['seq', 'ASC'],
    ],
    limit: MOST_RUNS + 200,
  });
  const gone = new Set(rows.map((r) => r.supersedes));
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  const of = (r: ObservationRow) => ({
    id: r.id,
    place: r.subject,
    by: names[r.personId ?? ''] ?? 'someone',
    at: r.observedAt.toISOString(),
  });
  const standing = rows.filter((r) => r.kind !== 'withdrawn' && !gone.has(r.id));
  const holds = new Map(standing.filter((r) => r.kind === 'hold-begin').map((r) => [r.subject, r]));
  return {
    runs: standing
      .filter((r) => r.kind === 'run')
      .map((r) => ({ ...(r.data as RunData), held: (r.data as Partial<RunData>).held ?? null, ...of(r) })),
    holds: [...holds.values()].map((r) => ({ ...(r.data as z.output<typeof HoldBeginSchema>), ...of(r) })),
    measuredAloneAh: await measuredAlone(store, job.id, new Date()),
  };
}
