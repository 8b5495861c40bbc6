import type { Cause, TriageRow } from './triage';

/** Which cause of a complaint a confirmed verdict was. A leak is what the insulation search found. */
const CAUSE_OF: Readonly<Record<string, Cause>> = {
  dead: 'cell or group',
  'low-capacity': 'cell or group',
  'self-discharge': 'cell or group',
  'high-resistance': 'cell or group',
  imbalance: 'balance',
  'sense-fault': 'sense board',
  leak: 'insulation',
};

/** What complaints about such packs turned out to be: how often each cause was confirmed. */
export function rememberedCauses(
  verdicts: Readonly<Record<string, { confirmed: number }>>,
): Partial<Record<Cause, number>> {
  const counts: Partial<Record<Cause, number>> = {};
  for (const [verdict, { confirmed }] of Object.entries(verdicts)) {
    const cause = CAUSE_OF[verdict];
    if (cause && confirmed > 0) counts[cause] = (counts[cause] ?? 0) + confirmed;
  }
  return counts;
}

/** What the signs say counts for as many cases as this beside what is remembered. From memory. */
const SIGNS_COUNT = 20;

export interface RememberedRow extends TriageRow {
  /** With what is remembered of such packs; {@link TriageRow.share} stays what the signs alone say. */
  withMemory: number;
  /** How often it was so on such packs, of how many. */
  here: { hits: number; n: number };
}

/**
 * The ranking of the signs weighed with what such packs turned out to have (Dirichlet: the signs count for twenty cases). What no sign
 * points to gets no row: memory ranks, it does not accuse.
 */
export function withRemembered(
  rows: readonly TriageRow[],
  counts: Partial<Record<Cause, number>>,
): RememberedRow[] {
  const n = Object.values(counts).reduce((s, c) => s + c, 0);
  const shown = rows.reduce((s, r) => s + (counts[r.cause] ?? 0), 0);
  return rows
    .map((r) => {
      const hits = counts[r.cause] ?? 0;
      return {
        ...r,
        withMemory: (SIGNS_COUNT * r.share + hits) / (SIGNS_COUNT + shown),
        here: { hits, n },
      };
    })
    .sort((a, b) => b.withMemory - a.withMemory);
}
