import { diagnose, type ChannelFinding, type Verdict } from '@cellmend/core/diagnosis';
import { beadParticleCase, particleCase, randomCase, shakenCase, type SimCase } from '@cellmend/core/simpack';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { readScanCsv } from '@cellmend/core/scan';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { snapshotLines, snapshotWorld } from './snapshots';
import { printTable, type Line } from './table';

export interface Score {
  cases: number;
  determinable: number;
  right: number;
  open: number;
  abstained: number;
  faults: number;
  found: number;
  healthyChannels: number;
  falseFlags: number;
  wrong: string[];
  /** For every finding: how sure its likeliest cause was said to be, and whether it was the one. */
  told: { confidence: number; right: boolean }[];
  /** For every fault, by what is wrong: whether it was found, and whether what was said of it is right, or rightly left open. */
  byFault: { of: Verdict; found: boolean; right: boolean }[];
  /** For every right verdict whose size is known: how many standard deviations its figure was off. */
  sizes: { of: string; offSd: number }[];
}
const COUNTS = [
  'cases',
  'determinable',
  'right',
  'open',
  'abstained',
  'faults',
  'found',
  'healthyChannels',
  'falseFlags',
] as const;
export const emptyScore = (): Score => ({
  cases: 0,
  determinable: 0,
  right: 0,
  open: 0,
  abstained: 0,
  faults: 0,
  found: 0,
  healthyChannels: 0,
  falseFlags: 0,
  wrong: [],
  told: [],
  byFault: [],
  sizes: [],
});

/** The figure of a verdict, in the unit in which a case says its size. */
function figureOf({ verdict, estimate: e }: ChannelFinding): { value: number; sd: number } | null {
  const pairs: Partial<Record<Verdict, [number | undefined, number | undefined]>> = {
    imbalance: [e.deltaSocPct, e.deltaSocPctSd],
    'low-capacity': [e.capacityRatio, e.capacityRatioSd],
    'high-resistance': [e.resistanceRatio, e.resistanceRatioSd],
    'self-discharge': [e.leakageMilliamp, e.leakageMilliampSd],
    'sense-fault': [e.offsetMillivolt, e.offsetMillivoltSd],
  };
  const [value, sd] = pairs[verdict] ?? [];
  return value === undefined || sd === undefined ? null : { value, sd };
}

const BINS = [0, 0.5, 0.7, 0.9, 0.97, 1.0001];
/** How often causes told with a confidence are the ones, by bins, and the expected calibration error over them. */
export function calibration(told: Score['told']): {
  bins: { from: number; n: number; said: number; were: number }[];
  error: number;
} {
  const bins = BINS.slice(0, -1).map((from, i) => {
    const inside = told.filter((t) => t.confidence >= from && t.confidence < BINS[i + 1]!);
    const mean = (of: (t: Score['told'][number]) => number): number =>
      inside.reduce((s, t) => s + of(t), 0) / Math.max(1, inside.length);
    return { from, n: inside.length, said: mean((t) => t.confidence), were: mean((t) => (t.right ? 1 : 0)) };
  });
  const error = bins.reduce((s, b) => s + (b.n / Math.max(1, told.length)) * Math.abs(b.said - b.were), 0);
  return { bins, error };
}

/** Compares a diagnosis with the truth of a case. */
export function judge(
  score: Score,
  name: string,
  c: Pick<SimCase, 'pack' | 'record' | 'faults'>,
  findings: readonly ChannelFinding[] = diagnose(c.record, c.pack).findings,
): void {
  score.cases++;
  for (const fault of c.faults) {
    const id = c.pack.channels[fault.channelIndex]!.id;
    const found = findings.find((f) => f.channel === id);
    score.faults++;
    if (found) score.found++;
    const expected = fault.determinable ? fault.verdict : 'undetermined';
    const right = found?.verdict === expected;
    score.byFault.push({ of: fault.verdict, found: found !== undefined, right });
    if (found) {
      // Where a finding is left open, its likeliest cause is what it says.
      const sure =
        found.verdict === 'undetermined'
          ? [...found.alternatives].sort((a, b) => b.confidence - a.confidence)[0]
          : found;
      if (sure) score.told.push({ confidence: sure.confidence, right: sure.verdict === fault.verdict });
      const figure = found.verdict === fault.verdict ? figureOf(found) : null;
      if (figure && fault.size !== undefined)
        score.sizes.push({ of: fault.verdict, offSd: Math.abs(figure.value - fault.size) / figure.sd });
    }
    if (fault.determinable) {
      score.determinable++;
      if (right) score.right++;
    } else {
      score.open++;
      if (right) score.abstained++;
    }
    if (!right)
      score.wrong.push(
        `${name}: ${id} is ${fault.verdict}${fault.determinable ? '' : ' (cannot be told)'}, told ${found ? `${found.verdict} (detect ${found.detect.toFixed(0)}, separate ${found.separate.toFixed(0)})` : 'healthy'}`,
      );
  }
  const faulty = new Set(c.faults.map((f) => c.pack.channels[f.channelIndex]!.id));
  score.healthyChannels += c.pack.channels.length - faulty.size;
  for (const f of findings) {
    if (faulty.has(f.channel)) continue;
    score.falseFlags++;
    score.told.push({ confidence: f.confidence, right: false });
    score.wrong.push(`${name}: ${f.channel} is healthy, told ${f.verdict} (detect ${f.detect.toFixed(0)})`);
  }
}

/** False flags that are allowed for every thousand healthy channels, by world. */
const FALSE_AIM = { own: 0.5, physics: 1 };

function lines(label: string, s: Score, falseAim = FALSE_AIM.own): Line[] {
  const share = (a: number, b: number): string => `${((100 * a) / Math.max(1, b)).toFixed(1)} %`;
  const per1000 = (1000 * s.falseFlags) / Math.max(1, s.healthyChannels);
  return [
    {
      what: `${label}: faulty channels found`,
      ours: `${s.found}`,
      against: `${s.faults}`,
      ratio: share(s.found, s.faults),
      aim: '≥ 98.5 %',
      met: s.found >= 0.985 * s.faults,
    },
    {
      what: `${label}: right verdict where it can be told`,
      ours: `${s.right}`,
      against: `${s.determinable}`,
      ratio: share(s.right, s.determinable),
      aim: '≥ 98.5 %',
      met: s.right >= 0.985 * s.determinable,
    },
    {
      what: `${label}: proper abstention`,
      ours: `${s.abstained}`,
      against: `${s.open}`,
      ratio: share(s.abstained, s.open),
      aim: '≥ 95 %',
      met: s.abstained >= 0.95 * s.open,
    },
    {
      what: `${label}: false flags per 1000 healthy channels`,
      ours: `${s.falseFlags}`,
      against: `${s.healthyChannels}`,
      ratio: per1000.toFixed(2),
      aim: `≤ ${falseAim}`,
      met: per1000 <= falseAim,
    },
  ];
}

interface Truth {
  determinable: boolean;
  faults: { channel: string; verdict: SimCase['faults'][number]['verdict']; determinable?: boolean }[];
}

interface World {
  name: string;
  all: Score;
  byClass: Map<string, Score>;
}

/** Verdicts on so many cases of a world, seeds from a first one on, by kind of record and chemistry. */
function world(name: string, make: (seed: number) => SimCase | null, count: number, first: number): World {
  const all = emptyScore();
  const byClass = new Map<string, Score>();
  for (let seed = first; all.cases < count; seed++) {
    const c = make(seed);
    if (!c) continue;
    const kind = `${c.recordClass} ${c.pack.profile.chemistry}`;
    const own = byClass.get(kind) ?? emptyScore();
    byClass.set(kind, own);
    const one = emptyScore();
    judge(one, `${kind} seed ${seed}`, c);
    for (const total of [own, all]) {
      for (const key of COUNTS) total[key] += one[key];
      total.wrong.push(...one.wrong);
      total.told.push(...one.told);
      total.byFault.push(...one.byFault);
      total.sizes.push(...one.sizes);
    }
  }
  return { name, all, byClass };
}

/** First seed of the bench: none of its cases was looked at while the diagnosis was made. */
const UNSEEN = 800_000;
/** First seed of the world of snapshots. */
const SNAPSHOTS = 900_000;

/**
 * Verdicts on the recorded cases, on random packs of the simulator that shares its terms with the diagnosis, on packs in
 * which every error term is at random, and on packs of particles, which share no circuit: of a graphite whose
 * potential the diagnosis has, and of one it has not.
 */
export async function benchDiagnosis(): Promise<void> {
  const folder = join(import.meta.dirname, '../../core/cases/scan');
  const recorded = emptyScore();
  for (const name of readdirSync(folder).filter((n) => n.startsWith('case-'))) {
    const pack = normalisePack(
      JSON.parse(readFileSync(join(folder, name, 'pack.json'), 'utf8')) as PackProfile,
    );
    const record = readScanCsv(readFileSync(join(folder, name, 'scan.csv'), 'utf8'), pack);
    const truth = JSON.parse(readFileSync(join(folder, name, 'truth.json'), 'utf8')) as Truth;
    judge(recorded, name, {
      pack,
      record,
      faults: truth.faults.map((f) => ({
        channelIndex: pack.channels.findIndex((c) => c.id === f.channel),
        verdict: f.verdict,
        determinable: truth.determinable && f.determinable !== false,
      })),
    });
  }
  const count = Number(process.env.BENCH_CASES ?? 600);
  // Failures of single seeds below 784 000 were looked at while the diagnosis was made; from here on none were.
  const random = world('random packs', randomCase, count, UNSEEN);
  const shaken = world('packs with every error at random', shakenCase, count, UNSEEN);
  const physics = world('packs of particles', particleCase, count, UNSEEN);
  const beads = world('packs of particles, graphite not known', beadParticleCase, count, UNSEEN);
  printTable('Diagnosis', [
    ...lines(`${recorded.cases} recorded cases`, recorded),
    ...lines(`${random.all.cases} ${random.name}`, random.all),
    ...lines(`${shaken.all.cases} ${shaken.name}`, shaken.all),
    ...lines(`${physics.all.cases} ${physics.name}`, physics.all, FALSE_AIM.physics),
    ...lines(`${beads.all.cases} ${beads.name}`, beads.all, FALSE_AIM.physics),
    ...snapshotLines(snapshotWorld(count, SNAPSHOTS)),
  ]);
  for (const { name, byClass } of [random, shaken, physics, beads]) {
    console.log(`  ${name}`);
    for (const [kind, s] of byClass)
      console.log(
        `    ${kind.padEnd(18)} right ${s.right}/${s.determinable}, abstained ${s.abstained}/${s.open}, found ${s.found}/${s.faults}, false ${s.falseFlags}/${s.healthyChannels}`,
      );
  }
  for (const { name, all } of [random, shaken, physics, beads]) {
    console.log(`  ${name}, by what is wrong`);
    for (const of of new Set(all.byFault.map((f) => f.of))) {
      const own = all.byFault.filter((f) => f.of === of);
      const count = (which: 'found' | 'right'): number => own.filter((f) => f[which]).length;
      console.log(
        `    ${of.padEnd(18)} right or rightly left open ${count('right')}/${own.length}, found ${count('found')}/${own.length}`,
      );
    }
  }
  for (const { name, all } of [random, shaken, physics, beads]) {
    const { bins, error } = calibration(all.told);
    console.log(`  ${name}: expected calibration error ${error.toFixed(3)} (aim ≤ 0.02)`);
    for (const b of bins)
      console.log(
        `    from ${b.from.toFixed(2)}: ${String(b.n).padStart(5)} causes, said ${b.said.toFixed(3)}, were ${b.were.toFixed(3)}`,
      );
    for (const of of new Set(all.sizes.map((s) => s.of))) {
      const own = all.sizes.filter((s) => s.of === of);
      const within = own.filter((s) => s.offSd <= 2).length / own.length;
      console.log(
        `    ±2 sd of ${of.padEnd(16)} holds ${(100 * within).toFixed(0)} % of ${own.length} (aim 90 to 98)`,
      );
    }
  }
  if (process.env.BENCH_WRONG)
    console.log(
      [recorded, random.all, shaken.all, physics.all, beads.all].flatMap((s) => s.wrong).join('\n'),
    );
}
