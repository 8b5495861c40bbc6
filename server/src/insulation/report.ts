import {
  insulationReport,
  lowestTyped,
  type InsulationObservation,
  type InsulationReport,
  type Jotted,
} from '@cellmend/core/insulation';
import { POLE_CONDITIONS } from '@cellmend/core/jot';
import { fullV, normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import type { Store } from '../domain/store';
import { readingsOf, type ReadingFact } from '../records/readings';
import { reportOf } from '../findings/stored';
import { notFound } from '../domain/refusal';

/** Lowest channel of each module against the median at the last rest, mV. */
function lowestMv(report: SpreadReport | null, pack: Pack): (number | null)[] | undefined {
  const rest = report?.nearEmpty ?? report?.nearFull;
  if (!rest) return undefined;
  return pack.modules.map((m) => {
    const read = m.channelIndices.map((c) => rest.channels[c]!.deviationMv).filter((mv) => mv !== null);
    return read.length > 0 ? Math.min(...read) : null;
  });
}

/** The same by what was typed at modules and channels, newest last. */
function lowTyped(typed: readonly ReadingFact[], pack: Pack): (number | null)[] | undefined {
  const voltages = typed.flatMap((r) =>
    r.kind === 'voltage' && r.value !== null ? [{ place: r.place, voltageV: r.value }] : [],
  );
  return voltages.length === 0 ? undefined : lowestTyped(pack, voltages);
}

/** The lower of what a scan and a meter say of each module. */
const lowestOf = (
  a: (number | null)[] | undefined,
  b: (number | null)[] | undefined,
): (number | null)[] | undefined =>
  a && b ? a.map((v, i) => (v === null || (b[i] !== null && b[i]! < v) ? b[i]! : v)) : (a ?? b);

/** Computes the report anew from stored observations: the same inputs give the same result. */
export async function reportInsulation(
  store: Store,
  jobId: string,
  profile: PackProfile,
  ask: {
    observationIds: string[];
    spreadFindingId: string | null;
    readingIds: string[];
    reported?: true | undefined;
    afterRain?: true | undefined;
    fitted?: readonly { place: string; at: string }[] | undefined;
  },
): Promise<InsulationReport> {
  const pack = normalisePack(profile);
  const rows = await store.models.Observation.findAll({
    where: { jobId, topic: 'insulation' },
    order: [['seq', 'ASC']],
  });
  const wanted = new Set(ask.observationIds);
  const used = rows.filter((r) => wanted.has(r.id));
  if (used.length !== wanted.size) throw notFound('One of those observations');
  const finding = ask.spreadFindingId
    ? await store.models.Finding.findOne({ where: { id: ask.spreadFindingId, jobId } })
    : null;
  const report = finding ? reportOf(finding) : null;
  const settled = report?.settledV ?? [];
  const scanned = settled.length === pack.channels.length && settled.some((v) => v !== null);
  const moduleV = pack.modules.map((m) =>
    m.groupIndices.reduce((s, g) => {
      const channel = pack.channels[pack.groups[g]!.channelIndex]!;
      return s + (scanned ? Math.max(0, settled[channel.index] ?? 0) / channel.cells : 1);
    }, 0),
  );
  const typed =
    ask.readingIds.length === 0
      ? []
      : await readingsOf(store, jobId, { ids: ask.readingIds, corrected: true });
  if (typed.length !== new Set(ask.readingIds).size) throw notFound('One of those readings');
  const observations = used.map((r) => r.data as InsulationObservation);
  // Without a scan the modules share the measured voltage by their groups.
  const measured = [...observations].reverse().find((o) => o.kind === 'poles')?.packV;
  const total = moduleV.reduce((a, b) => a + b, 0);
  const full = fullV(profile, 1);
  const scale = scanned ? 1 : (measured ?? total * full) / total;
  return insulationReport(pack, observations, {
    moduleV: moduleV.map((v) => v * scale),
    lowestMv: lowestOf(lowestMv(report, pack), lowTyped(typed, pack)),
    reported: ask.reported,
    afterRain: ask.afterRain,
    fitted: ask.fitted?.map(({ place, at }) => ({
      module: place,
      after: used.filter((r) => r.recordedAt.getTime() < Date.parse(at)).length,
    })),
    jotted: typed.flatMap((r) =>
      r.kind === 'insulation'
        ? jottedOf(r).map((j) => ({ ...j, ...(leftSince(r, ask.fitted) ? { ofPartBefore: true } : {}) }))
        : [],
    ),
  });
}

/** A part went in at its place after it was read. */
const leftSince = (r: ReadingFact, fitted: readonly { place: string; at: string }[] = []): boolean =>
  fitted.some(
    (f) => f.place === r.place && Math.min(r.observedAt.getTime(), r.recordedAt.getTime()) < Date.parse(f.at),
  );

/** A resistance to chassis that somebody wrote down at a module or a pole. */
function jottedOf(r: ReadingFact): Jotted[] {
  const figure = { ohm: r.value, ...(r.bound === 'at-least' ? { atLeast: true } : {}) };
  if (r.place !== '') return [{ module: r.place, ...figure }];
  const pole =
    r.conditions === POLE_CONDITIONS['+']
      ? 'positive'
      : r.conditions === POLE_CONDITIONS['-']
        ? 'negative'
        : null;
  return pole ? [{ module: '', pole, ...figure }] : [];
}
