import {
  MemoryFileSchema,
  MemorySwitchSchema,
  SharedMemorySchema,
  type MemoryFile,
  type MemoryHere,
  type MemoryView,
} from '@cellmend/contract/memory';
import type { OutcomeData } from '@cellmend/contract/learn';
import {
  joinMemories,
  leakStrength,
  memoryOf,
  NO_REVISION,
  placeStrength,
  placeWeights,
  wayStrength,
  type ModelMemory,
} from '@cellmend/core/learn';
import type { PackProfile } from '@cellmend/core/pack';
import { normalisePack } from '@cellmend/core/pack';
import { randomUUID } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import { QueryTypes } from 'sequelize';
import { readSetting, writeSetting } from '../domain/settings';
import { audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import { findJob } from '../jobs/find';
import { LEAK, WAY_IN } from './outcomes';

const SWITCH = 'memory-on';
const SHARED = 'shared-memories';
const MOST_SHARED = 50;
const MOST = 20_000;

interface Shared {
  id: string;
  name: string;
  takenIn: string;
  file: MemoryFile;
}
const sharedOf = async (store: Store, tx?: Doing['tx']): Promise<Shared[]> =>
  ((await readSetting(store, SHARED, tx)) as Shared[] | undefined) ?? [];

const middleOf = (values: number[]): number | null => {
  const s = [...values].sort((a, b) => a - b);
  return s.length === 0 ? null : (s[Math.floor((s.length - 1) / 2)]! + s[Math.ceil((s.length - 1) / 2)]!) / 2;
};

/** What this workshop's own jobs came to, a pack model at a time: counts, and nothing of whose they were. */
export async function ownMemory(store: Store): Promise<ModelMemory[]> {
  const ask = <T extends object>(sql: string): Promise<T[]> =>
    store.sequelize.query<T>(sql, { type: QueryTypes.SELECT, replacements: { most: MOST } });
  const [profiles, outcomes, looked, healthy, donors] = await Promise.all([
    store.models.PackProfile.findAll(),
    ask<{ jobId: string; profileId: string; place: string; data: OutcomeData }>(
      `SELECT o.job_id AS "jobId", k.profile_id AS "profileId", o.subject AS place, o.data
         FROM observations o JOIN jobs j ON j.id = o.job_id JOIN packs k ON k.id = j.pack_id
        WHERE o.topic = 'outcome' AND o.kind = 'opened'
          AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id) ORDER BY o.seq DESC LIMIT :most`,
    ),
    ask<{ jobId: string; profileId: string }>(
      `SELECT DISTINCT d.job_id AS "jobId", k.profile_id AS "profileId"
         FROM decisions d JOIN jobs j ON j.id = d.job_id JOIN packs k ON k.id = j.pack_id WHERE d.topic = 'hand-over' LIMIT :most`,
    ),
    ask<{ profileId: string; full: number | null; empty: number | null }>(
      `SELECT k.profile_id AS "profileId", f.full, f.empty FROM jobs j JOIN packs k ON k.id = j.pack_id
         JOIN LATERAL (SELECT (result#>>'{nearFull,deltaMv}')::float8 AS full, (result#>>'{nearEmpty,deltaMv}')::float8 AS empty,
             result#>'{findings}' AS found, result#>>'{pack,verdict}' AS verdict
           FROM findings WHERE job_id = j.id AND topic = 'spread' AND subject = 'before' ORDER BY created_at DESC LIMIT 1) f ON true
        WHERE f.verdict = 'ok' AND jsonb_array_length(f.found) = 0 LIMIT :most`,
    ),
    // Modules that came from elsewhere, in jobs that were handed over; replaced, once another stands there and they are in that pack no more.
    ask<{ profileId: string; revision: string; replaced: boolean }>(
      `SELECT k.profile_id AS "profileId", trim(coalesce(f.facts->>'revision', '')) AS revision,
          EXISTS (SELECT 1 FROM placements n WHERE n.kind = 'pack' AND n.pack_id = s.pack_id AND n.place = s.place AND n.seq > s.seq AND n.part_id <> s.part_id)
            AND NOT EXISTS (SELECT 1 FROM current_placements c WHERE c.part_id = s.part_id AND c.pack_id = s.pack_id) AS replaced
         FROM placements s JOIN parts p ON p.id = s.part_id AND p.kind = 'module' JOIN packs k ON k.id = s.pack_id
         JOIN LATERAL (SELECT facts FROM part_facts f WHERE f.part_id = s.part_id ORDER BY version DESC LIMIT 1) f ON true
        WHERE s.kind = 'pack' AND EXISTS (SELECT 1 FROM placements e WHERE e.part_id = s.part_id AND e.seq < s.seq)
          AND NOT EXISTS (SELECT 1 FROM placements e WHERE e.part_id = s.part_id AND e.pack_id = s.pack_id AND e.seq < s.seq)
          AND EXISTS (SELECT 1 FROM decisions d WHERE d.job_id = s.job_id AND d.topic = 'hand-over')
        ORDER BY s.seq DESC LIMIT :most`,
    ),
  ]);
  const models = new Map<string, ModelMemory>();
  const jobs = new Map<string, Set<string>>();
  for (const p of profiles) {
    const profile = p.profile as PackProfile;
    models.set(p.id, {
      model: p.name,
      chemistry: profile.chemistry,
      modules: normalisePack(profile).modules.length,
      jobs: 0,
      places: {},
      leaks: {},
      ways: {},
      waysKnown: profile.entries?.length ?? 0,
      donors: {},
      verdicts: {},
      healthy: { n: 0, nearFullMv: null, nearEmptyMv: null },
    });
    jobs.set(p.id, new Set());
  }
  const failed = new Set<string>();
  for (const { jobId, profileId, place, data } of outcomes) {
    const own = models.get(profileId);
    if (!own) continue;
    jobs.get(profileId)!.add(jobId);
    if (data.was === 'unclear') continue;
    (own.verdicts[data.verdict] ??= { confirmed: 0, refuted: 0 })[data.was]++;
    if (data.was !== 'confirmed') continue;
    if (data.verdict === WAY_IN) {
      own.ways[place] = (own.ways[place] ?? 0) + 1;
      continue;
    }
    if (data.verdict === LEAK) own.leaks[place] = (own.leaks[place] ?? 0) + 1;
    // A module counts once a job, whatever was wrong with it.
    for (const part of place.split(/ and | \+ /)) {
      if (failed.has(`${jobId} ${part}`)) continue;
      failed.add(`${jobId} ${part}`);
      own.places[part] = (own.places[part] ?? 0) + 1;
    }
  }
  for (const { profileId, revision, replaced } of donors) {
    const own = models.get(profileId);
    if (!own) continue;
    const sum = (own.donors[revision || NO_REVISION] ??= { fitted: 0, replaced: 0 });
    sum.fitted++;
    if (replaced) sum.replaced++;
  }
  for (const { jobId, profileId } of looked) jobs.get(profileId)?.add(jobId);
  for (const [id, own] of models) {
    own.jobs = jobs.get(id)!.size;
    const good = healthy.filter((h) => h.profileId === id);
    own.healthy = {
      n: good.length,
      nearFullMv: middleOf(good.flatMap((h) => h.full ?? [])),
      nearEmptyMv: middleOf(good.flatMap((h) => h.empty ?? [])),
    };
  }
  return [...models.values()].filter(
    (m) => m.jobs > 0 || m.healthy.n > 0 || Object.keys(m.donors).length > 0,
  );
}

export async function viewMemory(store: Store): Promise<MemoryView> {
  return {
    on: (await readSetting(store, SWITCH)) === true,
    own: await ownMemory(store),
    shared: (await sharedOf(store)).map((s) => ({
      id: s.id,
      name: s.name,
      madeOn: s.file.madeOn,
      takenIn: s.takenIn,
      models: s.file.models.length,
      jobs: s.file.models.reduce((sum, m) => sum + m.jobs, 0),
    })),
  };
}

/** The memory of this workshop to hand on: its own jobs' counts, not what others shared. */
export async function memoryFile(store: Store): Promise<MemoryFile> {
  return MemoryFileSchema.parse({
    format: 'cellmend-workshop-memory',
    version: 2,
    madeOn: new Date(store.clock.now().wallMs).toISOString().slice(0, 10),
    models: await ownMemory(store),
  });
}

/** Takes in what another workshop shared; the same again counts once. @throws 400, 409 */
export async function takeInMemory(store: Store, doing: Doing, body: unknown): Promise<{ id: string }> {
  const { name, file } = SharedMemorySchema.parse(body);
  const known = await sharedOf(store, doing.tx);
  if (known.length >= MOST_SHARED)
    throw new Refusal('conflict', 'Too many', `Up to ${MOST_SHARED} memories are kept.`);
  if (known.some((s) => isDeepStrictEqual(s.file, file)))
    throw new Refusal('conflict', 'Here already', 'That memory is here already: its jobs would count twice.');
  if (known.some((s) => s.name === name))
    throw new Refusal('conflict', 'Name taken', `There is a memory of ${name} already.`, {
      accepted: 'Another name; or the older one taken out first.',
    });
  const id = randomUUID();
  await writeSetting(store, doing.tx, SHARED, [
    ...known,
    { id, name, takenIn: new Date().toISOString(), file },
  ]);
  await audit(store, doing, null, 'memory taken in', name, `${file.models.length} kinds of pack`);
  return { id };
}
export async function dropMemory(store: Store, doing: Doing, id: string): Promise<{ id: string }> {
  const known = await sharedOf(store, doing.tx);
  const own = known.find((s) => s.id === id);
  if (!own) throw notFound('That memory');
  await writeSetting(
    store,
    doing.tx,
    SHARED,
    known.filter((s) => s !== own),
  );
  await audit(store, doing, null, 'memory taken out', own.name);
  return { id };
}
export async function switchMemory(store: Store, doing: Doing, body: unknown): Promise<{ on: boolean }> {
  const { on } = MemorySwitchSchema.parse(body);
  await writeSetting(store, doing.tx, SWITCH, on);
  await audit(store, doing, null, on ? 'memory weighed in' : 'memory left out');
  return { on };
}

/** What is remembered of the pack of a job, here and elsewhere; its weights lean on every kind of pack that is remembered. */
export async function memoryHere(store: Store, number: unknown): Promise<MemoryHere> {
  const { profile, pack } = await findJob(store, number);
  const { name } = (await store.models.PackProfile.findByPk(pack.profileId, { attributes: ['name'] }))!;
  const all = joinMemories([await ownMemory(store), ...(await sharedOf(store)).map((s) => s.file.models)]);
  const modules = normalisePack(profile).modules.map((m) => m.id);
  const model = memoryOf(all, { model: name, chemistry: profile.chemistry, modules: modules.length });
  const weigh = (
    counts: Record<string, number> | undefined,
    ids: string[],
    strength: number,
  ): Record<string, number> => {
    const weights = placeWeights(counts ? { places: counts } : null, ids, strength);
    return Object.fromEntries(ids.map((id, i) => [id, weights[i]!]));
  };
  return {
    on: (await readSetting(store, SWITCH)) === true,
    model,
    weights: weigh(model?.places, modules, placeStrength(all)),
    leakWeights: weigh(model?.leaks, modules, leakStrength(all)),
    wayWeights: weigh(
      model?.ways,
      (profile.entries ?? []).map((e) => e.id),
      wayStrength(all),
    ),
  };
}
