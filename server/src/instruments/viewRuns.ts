import type { InstrumentRun, Output } from '@cellmend/contract/instruments';
import type { SeriesPoint } from '@cellmend/core/insulation';
import type { Store } from '../domain/store';

/** Tests that instruments ran for a job, the newest first; runs of the bench are shown there. */
export async function viewRuns(store: Store, jobId: string): Promise<InstrumentRun[]> {
  const rows = await store.models.InstrumentRun.findAll({
    where: { jobId, 'parameters.recipe': null },
    order: [['startedAt', 'DESC']],
    limit: 50,
  });
  const named = async (ids: string[], model: 'Instrument' | 'Person'): Promise<Map<string, string>> =>
    new Map(
      (await (store.models[model] as typeof store.models.Person).findAll({ where: { id: ids } })).map((r) => [
        r.id,
        r.name,
      ]),
    );
  const instruments = await named(
    rows.map((r) => r.instrumentId),
    'Instrument',
  );
  const people = await named(
    rows.map((r) => r.personId),
    'Person',
  );
  return rows.map((r) => ({
    id: r.id,
    instrument: instruments.get(r.instrumentId) ?? 'an instrument',
    instrumentId: r.instrumentId,
    state: r.state,
    output: r.output as Output,
    why: r.why,
    by: people.get(r.personId) ?? 'someone',
    startedAt: r.startedAt.toISOString(),
    endedAt: r.endedAt?.toISOString() ?? null,
    readings: (r.points as SeriesPoint[] | null)?.length ?? 0,
  }));
}
