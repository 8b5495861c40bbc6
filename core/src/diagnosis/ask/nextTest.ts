import { factsOf, type Pack } from '../../pack';
import type { Spread } from '../record/restSpread';
import { heldFromTo, type Alternative, type ChannelFinding, type Verdict } from '../verdict';

/** A measurement, what it costs, and which explanations it tells apart: those in one set look alike to it. */
export interface Test {
  name: (finding: ChannelFinding, pack: Pack) => string;
  minutes: number;
  /** Explanations grouped by the result they would give. */
  groups: Verdict[][];
  possible: (nearFull: Spread | null, nearEmpty: Spread | null, pack: Pack) => boolean;
  /** The vehicle drives or is drawn down for it: not with a dead group or a delta that blocks driving. */
  drives?: true;
  /** The pack is charged for it: as little as it is drawn down, and not with a group above its ceiling. */
  charges?: true;
  /** For findings of this kind only, and first there: what else is on the list does not show what it is. */
  of?: (finding: ChannelFinding) => boolean;
  /** It is a meter at the terminals: said and done once it has been metered. */
  meter?: true;
}

/** One test for one channel, with what it is worth. */
export interface RankedTest {
  channel: string;
  text: string;
  minutes: number;
  /** How much of what is open it settles, bits. */
  bits: number;
}

const always = (): boolean => true;
const end = (pack: Pack, which: 'near full' | 'near empty'): string =>
  factsOf(pack.profile.chemistry).flat?.[which === 'near full' ? 'nearFull' : 'nearEmpty'] ?? which;

/** Minutes of a technician, not of the clock. Common practice, no source. */
export const TESTS: Test[] = [
  {
    name: (f, pack) =>
      `Meter ${f.channel} at the terminals of ${f.module}: more than ${factsOf(pack.profile.chemistry).meter.apartMv} mV from the scan is a sense fault.`,
    minutes: 6,
    groups: [['sense-fault'], ['imbalance', 'low-capacity', 'high-resistance', 'self-discharge', 'dead']],
    possible: always,
    meter: true,
  },
  {
    name: (f, pack) =>
      `Scan ${f.channel} again ${end(pack, 'near empty')}, rested: a gap that grows is capacity, one that stays is balance.`,
    minutes: 15,
    groups: [['low-capacity'], ['imbalance'], ['sense-fault'], ['high-resistance'], ['self-discharge']],
    possible: (_full, empty) => empty === null,
    drives: true,
  },
  {
    name: (f, pack) =>
      `Scan ${f.channel} again ${end(pack, 'near full')}, rested: capacity comes level there, balance does not.`,
    minutes: 15,
    groups: [['low-capacity'], ['imbalance', 'self-discharge'], ['sense-fault'], ['high-resistance']],
    possible: (full) => full === null,
    charges: true,
  },
  {
    // The positive electrode of a flat curve shows at the very end of a charge only.
    name: (f) =>
      `Charge the pack until it is full, if no water, impact or heat forbids it, and log ${f.channel} to the end: lost capacity comes up with the others there, a missing charge stays below.`,
    minutes: 20,
    groups: [['low-capacity'], ['imbalance', 'self-discharge'], ['sense-fault'], ['high-resistance']],
    possible: (full, _empty, pack) => full !== null && Boolean(factsOf(pack.profile.chemistry).flat),
    charges: true,
  },
  {
    name: (f) => `Log ${f.channel} in a drive with strong load changes: only resistance follows the current.`,
    minutes: 20,
    groups: [['high-resistance'], ['imbalance', 'low-capacity', 'sense-fault', 'self-discharge']],
    possible: always,
    drives: true,
  },
  {
    name: (f) =>
      `Discharge ${f.module} on the bench at ${f.onlyWarmC} °C, the temperature at which it showed, with the current at which it showed: a fall at once is resistance, an early end capacity. Colder it would pass.`,
    minutes: 30,
    groups: [['high-resistance'], ['low-capacity'], ['imbalance', 'sense-fault', 'self-discharge']],
    possible: always,
    of: (f) => f.onlyWarmC !== undefined,
  },
  {
    name: (f) => `Let the pack stand two days and scan ${f.channel} again: only self-discharge drifts.`,
    minutes: 12,
    groups: [['self-discharge'], ['imbalance', 'low-capacity', 'sense-fault', 'high-resistance']],
    possible: always,
  },
];

const entropy = (shares: number[]): number => shares.reduce((h, p) => (p > 0 ? h - p * Math.log2(p) : h), 0);

/** Bits that a test takes from what is open: entropy of its groups under the present confidences. */
export function gainOf(test: Test, open: readonly Alternative[]): number {
  const total = open.reduce((s, a) => s + a.confidence, 0) || 1;
  return entropy(
    test.groups.map(
      (g) => open.filter((a) => g.includes(a.verdict)).reduce((s, a) => s + a.confidence, 0) / total,
    ),
  );
}

/** A group that is dead, or a delta at which the vehicle will not drive: the pack is not drawn down further. */
export const standsStill = (
  findings: readonly ChannelFinding[],
  nearFull: Spread | null,
  nearEmpty: Spread | null,
): boolean =>
  findings.some((f) => f.verdict === 'dead') ||
  [nearFull, nearEmpty].some((s) => s !== null && s.grade === 'blocks-drive');

const aboveCeiling = (findings: readonly ChannelFinding[]): boolean =>
  findings.some((f) => f.absolute === 'over-charged');

/** An alternative this likely to a verdict that was told is worth a test before anything is done. */
const WORTH_A_TEST = 0.1;

/** What is still open of a finding: all of what nothing was told of, and a verdict beside which another stays likely. */
const openOf = ({ verdict, confidence, alternatives }: ChannelFinding): readonly Alternative[] =>
  verdict === 'undetermined'
    ? alternatives
    : alternatives.some((a) => a.confidence >= WORTH_A_TEST)
      ? [{ verdict, confidence: confidence ?? 0 }, ...alternatives]
      : [];

/** Tests that would settle something of what is still open, best for its effort first. */
export function rankTests(
  findings: readonly ChannelFinding[],
  nearFull: Spread | null,
  nearEmpty: Spread | null,
  pack: Pack,
  metered: ReadonlySet<string> = new Set(),
): RankedTest[] {
  const still = standsStill(findings, nearFull, nearEmpty);
  const uncharged = still || aboveCeiling(findings);
  return findings
    .flatMap((f) =>
      TESTS.filter(
        (t) =>
          t.possible(nearFull, nearEmpty, pack) &&
          (t.of?.(f) ?? true) &&
          !(t.meter && metered.has(f.channel)) &&
          !(t.drives && still) &&
          !(t.charges && uncharged),
      ).map((t) => ({
        channel: f.channel,
        text: t.name(f, pack),
        minutes: t.minutes,
        bits: gainOf(t, openOf(f)),
        // By one reading nobody charges or drives a pack on: whether it is the reading comes first. Common practice, no source.
        first: (t.meter === true && f.films !== undefined) || t.of !== undefined,
      })),
    )
    .filter((t) => t.bits > 0)
    .sort((a, b) => Number(b.first) - Number(a.first) || b.bits / b.minutes - a.bits / a.minutes)
    .map(({ channel, text, minutes, bits }) => ({ channel, text, minutes, bits }));
}

/** A record that went below this share of charge has shown what a channel holds, as far as one can. From memory. */
const LOW_SOC = 0.2;

/** The measurement that separates most of what is still open for its effort, in one sentence. */
export function nextTest(
  findings: readonly ChannelFinding[],
  nearFull: Spread | null,
  nearEmpty: Spread | null,
  pack: Pack,
  metered: ReadonlySet<string> = new Set(),
): string {
  const unmetered = findings.filter((f) => !metered.has(f.channel));
  const dead = unmetered.find((f) => f.verdict === 'dead');
  if (dead)
    return `Meter ${dead.channel} at the terminals of ${dead.module} before condemning it: a sense fault can look the same.`;
  const [best] = rankTests(findings, nearFull, nearEmpty, pack, metered);
  if (best) return best.text;
  const sense = unmetered.find((f) => f.verdict === 'sense-fault');
  if (sense)
    return `Meter ${sense.channel} at the terminals of ${sense.module}: it should read what its neighbours read.`;
  const joint = unmetered.find((f) => f.verdict === 'high-resistance' && f.seat !== 'cell');
  if (joint)
    // Never across a live joint: what like joints have is compared dead.
    return `Proven dead, measure the joints of ${joint.channel} with a micro-ohmmeter against like ones. One with more than twice as much is cleaned and torqued by the maker’s procedure: it needs no module. If they are alike, it is the cell.`;
  const lost = findings.find((f) => f.verdict === 'low-capacity' && heldFromTo(f.estimate));
  const low = nearEmpty !== null && nearEmpty.medianSocFraction < LOW_SOC;
  if (lost && !low && !standsStill(findings, nearFull, nearEmpty))
    return `Log a drive from near full to near empty: ${lost.channel} has lost capacity, and how much of it decides whether ${lost.module} is replaced.`;
  const first = unmetered[0];
  if (first) return `Meter ${first.channel} at the terminals of ${first.module} before it is replaced.`;
  if (standsStill(findings, nearFull, nearEmpty)) {
    const all = findings.filter((f) => f.verdict === 'dead').map((f) => f.module);
    return all.length > 0
      ? `Nothing more to scan: ${[...new Set(all)].slice(0, 4).join(', ')} has to come out before the pack is charged or drawn down.`
      : 'The delta blocks driving: do not draw the pack down further. Decide what is done.';
  }
  if (!nearEmpty || (!nearFull && !aboveCeiling(findings)))
    return `Scan ${nearFull || aboveCeiling(findings) ? 'near empty' : 'near full'} as well: a weak group can look fine at one end.`;
  return findings.length > 0
    ? 'Nothing more to measure: what stands out was metered at the terminals.'
    : 'Nothing more to measure: no channel stands out at either end.';
}
