import { planBalance, type BalancePlan } from '@cellmend/core/balance';
import { rankDonors, typicalOfStaying, withMeasuredAlone, type MatchRow } from '@cellmend/core/match';
import { normalisePack, ocvCurve, valueOf, type Pack, type PackProfile } from '@cellmend/core/pack';
import { compareRecords, sagUnderLoad, type Comparison, type SagCheck } from '@cellmend/core/prove';
import { asWired } from '@cellmend/core/scan';
import { groupStates, type MeterReading, type SpreadReport } from '@cellmend/core/diagnosis';
import type { InsulationReport } from '@cellmend/core/insulation';
import type { NewFinding } from '@cellmend/contract/findings';
import { Refusal, notFound } from '../domain/refusal';
import type { Store } from '../domain/store';
import { reportInsulation } from '../insulation/report';
import { donorsOf, partsAsOf, measuredAlone, standingAt } from '../parts/donors';
import { readingsOf } from '../records/readings';
import { reportOf } from './stored';
import { saidMoments, type SaidMoment } from '../scans/moments';
import { loadRecord } from '../scans/store';
import { runFor, type Asked } from '../scans/work';

/** What a finding was computed from, by id. */
export interface Computed {
  inputIds: string[];
  result: SpreadReport | InsulationReport | MatchRow[] | BalancePlan | Comparison;
}

/** Whose turn it takes, and what stops it. */
export type ComputeAsked = Pick<Asked, 'person' | 'signal'>;

/** Records of this job, with when each began and what was metered since. */
async function report(
  store: Store,
  jobId: string,
  profile: PackProfile,
  ask: Extract<NewFinding, { topic: 'spread' }>,
  asked: ComputeAsked,
): Promise<SpreadReport> {
  const scans = await store.models.Scan.findAll({
    where: { id: ask.scanIds, jobId },
  });
  if (scans.length !== new Set(ask.scanIds).size) throw notFound('One of those scans');
  const metered = await meterReadings(store, jobId, profile, ask.readingIds);
  const said = await momentsNamed(store, jobId, ask.momentIds ?? []);
  const parts = [];
  for (const scan of scans) {
    const record = await loadRecord(store, scan.id);
    const at = said.get(scan.id)?.at ?? scan.startedAt;
    parts.push({
      // The sense wires as the profile of this computing has them; what was metered was metered at the place.
      record: scan.format === 'typed' ? record : asWired(record, profile),
      startS: (at ?? scan.createdAt).getTime() / 1000,
      startKnown: at !== null,
    });
  }
  return runFor('report', { kind: 'report', profile, parts, metered }, asked);
}

/** What a finding was told of when its records were made; nothing that was said since. */
async function momentsNamed(store: Store, jobId: string, ids: string[]): Promise<Map<string, SaidMoment>> {
  const named = new Set(ids);
  const found = await saidMoments(store, jobId, undefined, named);
  if (found.size !== named.size) throw notFound('One of those moments');
  return found;
}

/** Volts metered at channels, oldest first: the newest of a channel counts. */
async function meterReadings(
  store: Store,
  jobId: string,
  profile: PackProfile,
  ids: string[],
): Promise<MeterReading[]> {
  if (ids.length === 0) return [];
  const rows = await readingsOf(store, jobId, { kind: 'voltage', ids, corrected: true });
  if (rows.length !== new Set(ids).size) throw notFound('One of those readings');
  const indexOf = new Map(profile.channels.map((c, i) => [c.id, i]));
  return rows.flatMap((r) =>
    indexOf.has(r.place) && r.value !== null
      ? [{ channelIndex: indexOf.get(r.place)!, voltageV: r.value }]
      : [],
  );
}

/** The spread that an earlier finding stored, checked to be of this job. */
async function spreadOf(store: Store, jobId: string, findingId: string): Promise<SpreadReport> {
  const row = await store.models.Finding.findOne({
    where: { id: findingId, jobId, topic: 'spread' },
  });
  if (!row) throw notFound('That finding');
  return reportOf(row);
}

/** What the fit worked with; a pack beyond its limits has none, and is neither matched nor balanced. */
function workingOf(spread: SpreadReport): NonNullable<SpreadReport['working']> {
  if (!spread.working)
    throw new Refusal(
      'conflict',
      'Not to be compared',
      `The pack is ${spread.pack.verdict}: nothing is matched to it or balanced with it before it is decided what becomes of it.`,
    );
  return spread.working;
}

/**
 * Computes a finding from stored inputs: the same inputs and core give the same result. Never within the transaction of
 * a write; a diagnosis runs in a thread of its own.
 */
export async function compute(
  store: Store,
  jobId: string,
  profile: PackProfile,
  ask: NewFinding,
  /** What was measured of parts until then counts. */
  asOf: Date = new Date(),
  /** Whose turn it takes, nobody's where it is due anyway; and what stops it. */
  asked: ComputeAsked = {},
): Promise<Computed> {
  const pack = normalisePack(profile);
  switch (ask.topic) {
    case 'spread':
      return {
        inputIds: [...ask.scanIds, ...ask.readingIds],
        result: await report(store, jobId, profile, ask, asked),
      };
    case 'insulation':
      return {
        inputIds: [
          ...ask.observationIds,
          ...ask.readingIds,
          ...(ask.spreadFindingId ? [ask.spreadFindingId] : []),
        ],
        result: await reportInsulation(store, jobId, profile, ask),
      };
    case 'match': {
      const spread = await spreadOf(store, jobId, ask.spreadFindingId);
      const module = pack.modules.find((m) => m.id === ask.moduleId);
      if (!module)
        throw new Refusal('unacceptable', 'Cannot be accepted', `The pack has no module ${ask.moduleId}.`);
      const working = workingOf(spread);
      const alone = await measuredAlone(store, jobId, asOf);
      const typical = typicalOfStaying(pack, spread, alone, [module.id]);
      const typicalAh = valueOf(typical) ?? working.capacityAh;
      const states = withMeasuredAlone(
        groupStates(spread.channels, pack.channels.length, typicalAh, working.endSocFraction),
        pack,
        alone,
      );
      const staying = states.filter((_, i) => !module.channelIndices.includes(i));
      const shelf = await donorsOf(store, ask.stockIds, asOf);
      const result = rankDonors(
        shelf,
        {
          chemistry: profile.chemistry,
          groupCount: module.groupIndices.length,
          revision: profile.moduleRevision,
          look: profile.moduleLook,
          staying,
          typicalCapacityAh: typical,
          resistanceMilliohm: spread.resistanceMilliohm,
          socFraction: working.endSocFraction,
          temperatureC: ask.temperatureC,
          asOf: asOf.toISOString(),
        },
        pack,
      );
      return { inputIds: [ask.spreadFindingId, ...ask.stockIds], result };
    }
    case 'balance': {
      const spread = await spreadOf(store, jobId, ask.spreadFindingId);
      const [donor] = await donorsOf(store, [ask.stockId], asOf);
      if (!donor) throw notFound('That stock module');
      const { restVoltageV } = donor;
      if (restVoltageV === null)
        throw new Refusal('conflict', 'Not measured', `Nobody measured the rest voltage of ${donor.label}.`, {
          accepted: 'Its rested voltage, under Stock; then the way to the level of the others can be told.',
        });
      const curve = ocvCurve(profile.ocv);
      const result = planBalance(
        {
          groupCount: donor.groupCount,
          moduleRestVoltageV: restVoltageV,
          newcomerCapacityAh: donor.capacityAh,
          packSocFraction: curve.socAt(ask.packCellVoltageV),
          packCapacityAh: valueOf(spread.capacityAh),
          currentA: ask.currentA,
          bleederMilliamp: ask.bleederMilliamp,
          goal: ask.goal,
        },
        pack,
      );
      return { inputIds: [ask.spreadFindingId, ask.stockId], result };
    }
    case 'prove': {
      const before = await spreadOf(store, jobId, ask.beforeFindingId);
      const after = await spreadOf(store, jobId, ask.afterFindingId);
      const replaced = pack.modules
        .filter((m) => ask.replacedModules.includes(m.id))
        .flatMap((m) => m.channelIndices);
      return {
        inputIds: [ask.beforeFindingId, ask.afterFindingId],
        result: {
          ...compareRecords(before, after, pack, replaced, after.capacityAh),
          sag: await sagOf(store, jobId, pack, before, after, ask.replacedModules, asOf),
        },
      };
    }
  }
}

/** Sag under load after a repair against the resistances from before it, and of what went in against what the bench measured of it. */
async function sagOf(
  store: Store,
  jobId: string,
  pack: Pack,
  before: SpreadReport,
  after: SpreadReport,
  replaced: readonly string[],
  asOf: Date,
): Promise<SagCheck | null> {
  const job = (await store.models.Job.findByPk(jobId))!;
  const standing = await standingAt(store, job.packId, asOf);
  const ids = replaced.flatMap((place) => standing.get(place) ?? []);
  const parts = new Map((await partsAsOf(store, ids, asOf)).map((p) => [p.id, p]));
  return sagUnderLoad(
    after.fullLoad,
    before.resistanceMilliohm,
    before.fullLoad?.temperatureC ?? null,
    after.capacityAh.measured ? after.capacityAh : before.capacityAh,
    pack.modules
      .filter((m) => replaced.includes(m.id))
      .map((m) => {
        const part = parts.get(standing.get(m.id) ?? '');
        return {
          module: m.id,
          channelIndices: m.channelIndices,
          // The bench tells it of a group; a channel may read several.
          resistanceMilliohm:
            part?.figures.resistanceMilliohm == null
              ? null
              : (part.figures.resistanceMilliohm * m.groupIndices.length) / m.channelIndices.length,
          temperatureC: part?.taken.resistanceMilliohm?.temperatureC ?? null,
        };
      }),
    pack,
  );
}
