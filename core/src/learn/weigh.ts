import type { Pack } from '../pack';
import { gainOf, TESTS, type Alternative, type ChannelFinding, type RankedTest } from '../diagnosis';
import { withPlaces, type ModelMemory } from './memory';

/** What the readings leave open counts for as many cases as this beside what is remembered. From memory. */
const OPEN_COUNTS = 20;

/**
 * Explanations that are still open, weighed with what such verdicts turned out to be on such packs (Dirichlet). One that no reading
 * points to gets nothing: memory ranks, it does not accuse.
 */
export function alternativesWith(
  open: readonly Alternative[],
  memory: Pick<ModelMemory, 'verdicts'>,
): Alternative[] {
  const total = open.reduce((s, a) => s + a.confidence, 0) || 1;
  const seen = open.map((a) => (a.confidence > 0 ? (memory.verdicts[a.verdict]?.confirmed ?? 0) : 0));
  const n = seen.reduce((s, c) => s + c, 0);
  return open.map((a, i) => ({
    ...a,
    confidence: (total * ((OPEN_COUNTS * a.confidence) / total + seen[i]!)) / (OPEN_COUNTS + n),
  }));
}

/**
 * The tests that a report ranks, ranked with what is remembered: the same tests, by what each settles of what is then still open.
 * Empty where nothing remembered bears on them.
 */
export function testsWith(
  tests: readonly RankedTest[],
  findings: readonly ChannelFinding[],
  pack: Pack,
  memory: Pick<ModelMemory, 'verdicts'>,
): RankedTest[] {
  const ranked = tests.flatMap((r) => {
    const finding = findings.find((f) => f.channel === r.channel && f.verdict === 'undetermined');
    const test = finding && TESTS.find((t) => t.name(finding, pack) === r.text);
    return finding && test
      ? [{ ...r, bits: gainOf(test, alternativesWith(finding.alternatives, memory)) }]
      : [];
  });
  const bears = findings.some((f) =>
    f.alternatives.some((a) => (memory.verdicts[a.verdict]?.confirmed ?? 0) > 0),
  );
  return bears ? ranked.sort((a, b) => b.bits / b.minutes - a.bits / a.minutes) : [];
}

/**
 * Ways in, weighed with where it came in before on such packs (`placeWeights` of the ways). How likely it came in elsewhere stays with
 * what is seen: memory tells the known ways apart.
 * @returns shares in the order given, with the same sum
 */
export function waysWith(shares: readonly number[], weights: readonly number[]): number[] {
  // Where no weight bears on any of them `withPlaces` leaves them as they are.
  if (!shares.some((p, i) => p * weights[i]! > 0)) return [...shares];
  const total = shares.reduce((s, p) => s + p, 0);
  return withPlaces(shares, weights).map((p) => p * total);
}
