import { NewQuoteSchema, type Quote, type QuoteData } from '@cellmend/contract/quotes';
import { compareOptions, paidFor } from '@cellmend/core/cost';
import { format, parseISO } from 'date-fns';
import { Refusal } from '../domain/refusal';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { findJob } from '../jobs/find';
import { keepObservation } from '../records/observe';
import { namesOf } from '../safety/gate';

const DRAWS = 20_000;
const SEED = 1;

/** Quotes of a job, newest first: each stands as it was given. */
export async function listQuotes(store: Store, number: unknown): Promise<Quote[]> {
  const { job } = await findJob(store, number);
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'quote' },
    order: [['seq', 'DESC']],
    limit: 200,
  });
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  return rows.map((r) => ({
    ...(r.data as QuoteData),
    id: r.id,
    by: names[r.personId ?? ''] ?? 'someone',
    at: r.observedAt.toISOString(),
  }));
}

/** Keeps what the owner was offered, with what each option costs a year worked out here, the same for everybody. */
export async function addQuote(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Quote> {
  const { observedAt, options, ...q } = NewQuoteSchema.parse(body);
  const { job } = await findJob(store, number, doing.tx);
  // By the workshop's own calendar; a quote stands to the end of its last day.
  if (q.chosen && q.validUntil < format(new Date(), 'yyyy-MM-dd'))
    throw new Refusal(
      'notPossible',
      'Quote has ended',
      `The quote stood until ${format(parseISO(q.validUntil), 'd MMMM yyyy')}: what it said may cost something else by now.`,
      { accepted: 'The same options, given anew with today’s prices.' },
    );
  const none = { low: 0, likely: 0, high: 0 };
  const answer = compareOptions({
    horizonYears: q.horizonYears,
    distanceKmPerYear: q.distanceKmPerYear,
    currency: '',
    draws: DRAWS,
    seed: SEED,
    options: paidFor(options).map((o) => ({ ...o, rangeKm: o.rangeKm ?? none })),
  });
  const data: QuoteData = {
    ...q,
    options: options.map((o) => {
      const found = answer.options.find((a) => a.name === o.name);
      return {
        ...o,
        costPerYear: found?.costPerYear ?? { p10: 0, p50: 0, p90: 0 },
        chanceCheapest: found?.chanceCheapest ?? 0,
      };
    }),
    draws: DRAWS,
    seed: SEED,
  };
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'quote',
    kind: 'given',
    data,
    subjectKind: 'pack',
    subject: '',
    stage: 'findings',
    observedAt: new Date(observedAt),
  });
  await audit(
    store,
    doing,
    job.id,
    q.chosen === null ? 'quote' : 'owner chose',
    q.chosen ?? `${options.length} options`,
    q.note,
  );
  await announce(store, doing.tx, 'quotes', job.number);
  return { ...data, id: row.id, by: doing.person.name, at: observedAt };
}
