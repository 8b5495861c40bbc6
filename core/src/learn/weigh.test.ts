import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { marramVan } from '../../../cli/src/demoPacks';
import { nextWithPlaces, insulationReport } from '../insulation';
import { normalisePack } from '../pack';
import { rankTests, type Alternative, type ChannelFinding } from '../diagnosis';
import { alternativesWith, placeWeights, testsWith, withPlaces } from '.';

const pack = normalisePack(marramVan());
const open: Alternative[] = [
  { verdict: 'low-capacity', confidence: 0.3 },
  { verdict: 'imbalance', confidence: 0.3 },
  { verdict: 'sense-fault', confidence: 0.2 },
  { verdict: 'high-resistance', confidence: 0 },
].map((a) => a as Alternative);
const memory = (counts: Record<string, number>) => ({
  verdicts: Object.fromEntries(
    Object.entries(counts).map(([v, confirmed]) => [v, { confirmed, refuted: 0 }]),
  ),
});

describe('what is open, weighed with what such packs turned out to have', () => {
  it('is the mean of the Dirichlet that scipy has for the same counts', () => {
    const own = alternativesWith(open, memory({ 'sense-fault': 12, imbalance: 3 }));
    const theirs = JSON.parse(
      execFileSync(
        '/usr/bin/python3',
        [
          '-c',
          `import json,sys
from scipy.stats import dirichlet
print(json.dumps(list(dirichlet.mean([20*0.3/0.8, 20*0.3/0.8+3, 20*0.2/0.8+12]))))`,
        ],
        { encoding: 'utf8' },
      ),
    ) as number[];
    own.slice(0, 3).forEach((a, i) => expect(a.confidence / 0.8).toBeCloseTo(theirs[i]!, 9));
    // What no reading points to is not accused by what others had.
    expect(alternativesWith(open, memory({ 'high-resistance': 500 }))[3]!.confidence).toBe(0);
    expect(alternativesWith(open, memory({}))).toEqual(open);
  });
  it('ranks the tests anew: where others had sense faults, the meter comes first', () => {
    const finding = {
      channel: 'ch027',
      module: 'M07',
      verdict: 'undetermined',
      alternatives: open.map((a, i) => ({ ...a, confidence: [0.49, 0.49, 0.02, 0][i]! })),
    } as unknown as ChannelFinding;
    const ranked = rankTests([finding], null, null, pack);
    expect(ranked[0]!.text).toMatch(/^Scan ch027 again/);
    const withOthers = testsWith(ranked, [finding], pack, memory({ 'sense-fault': 60 }));
    expect(withOthers[0]!.text).toMatch(/^Meter ch027/);
    expect(withOthers.map((t) => t.text).sort()).toEqual(ranked.map((t) => t.text).sort());
    // The report’s own stays what it was, and nothing is said where nothing remembered bears on it.
    expect(ranked[0]!.text).toMatch(/^Scan ch027 again/);
    expect(testsWith(ranked, [finding], pack, memory({ dead: 9 }))).toEqual([]);
  });
});

describe('the next test of an insulation search with what is remembered', () => {
  const ids = pack.modules.map((m) => m.id);
  const poles = {
    kind: 'poles' as const,
    side: 'pack' as const,
    packV: 350,
    negativeV: 170,
    positiveV: 176,
    meterOhm: 10e6,
  };
  const report = insulationReport(pack, [poles], {
    moduleV: pack.modules.map(() => 350 / pack.modules.length),
  });
  const own = report.modules.map((m) => m.probability);
  const inOrder = report.modules.map((m) => ids[m.moduleIndex]!);
  it('is the same where all places are alike, and goes to where such packs leak where they are not', () => {
    const alike = placeWeights(null, inOrder, 5);
    expect(nextWithPlaces(report, pack, withPlaces(own, alike)).text).toBe(report.next.text);
    const at = own.indexOf(Math.max(...own)) + 2;
    const weights = placeWeights({ places: { [inOrder[at]!]: 40 } }, inOrder, 2);
    const next = nextWithPlaces(report, pack, withPlaces(own, weights));
    expect(next.kind).toBe('split');
    // The section that is parted first is the one that such packs leak at, or ends there.
    const [from, to] = next.split!.modules.map((m) => inOrder.indexOf(m));
    expect(Math.min(Math.abs(from! - at), Math.abs(to! - at))).toBeLessThanOrEqual(1);
    expect(next.split!.expected.tests).toBeLessThan(report.next.split!.expected.tests);
    expect(report.next.text).not.toBe(next.text);
  });
});
