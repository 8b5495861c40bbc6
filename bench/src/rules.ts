import { diagnose, RULES, withoutRule, type RuleName } from '@cellmend/core/diagnosis';
import { beadParticleCase, particleCase, randomCase, shakenCase, type SimCase } from '@cellmend/core/simpack';
import { emptyScore, judge, type Score } from './diagnosis';

const WORLDS: Record<string, (seed: number) => SimCase | null> = {
  'own error terms': randomCase,
  'every error at random': shakenCase,
  particles: particleCase,
  'particles, graphite not known': beadParticleCase,
};
/** Seeds on which rules were made, and seeds that nobody looked at. */
const SEEDS = { training: 250_000, 'held-out': 800_000 };

interface Compared {
  whole: Score;
  without: Map<RuleName, Score>;
}

/** Diagnoses the same packs with every rule, and with one left out at a time. */
function compare(
  make: (seed: number) => SimCase | null,
  first: number,
  count: number,
  rules: readonly RuleName[],
): Compared {
  const whole = emptyScore();
  const without = new Map(rules.map((r) => [r, emptyScore()]));
  for (let seed = first; whole.cases < count; seed++) {
    const c = make(seed);
    if (!c) continue;
    judge(whole, `seed ${seed}`, c);
    for (const [rule, score] of without)
      judge(
        score,
        `seed ${seed}`,
        c,
        withoutRule(rule, () => diagnose(c.record, c.pack).findings),
      );
  }
  return { whole, without };
}

const FIGURES = ['right', 'found', 'abstained', 'falseFlags'] as const;
const figures = (s: Score): string =>
  `right ${s.right}/${s.determinable}, found ${s.found}/${s.faults}, left open ${s.abstained}/${s.open}, false ${s.falseFlags}/${s.healthyChannels}`;

/**
 * What each rule of the diagnosis is worth: the same packs of four worlds with it and without it, on seeds of its making and on held-out ones.
 * `npm run bench diagnosis -- --without short-span` or `-- --without all`; BENCH_CASES packs of each world and kind of seed, 60 unless told.
 */
export function benchRules(asked: string): void {
  const known = Object.keys(RULES) as RuleName[];
  const rules = asked === 'all' ? known : known.filter((r) => asked.split(',').includes(r));
  if (rules.length === 0) {
    console.error(`No such rule: ${asked}. There are: all, ${known.join(', ')}.`);
    process.exitCode = 2;
    return;
  }
  const count = Number(process.env.BENCH_CASES ?? 60);
  for (const [kind, first] of Object.entries(SEEDS)) {
    console.log(`\n${kind} seeds, from ${first}, ${count} packs of each world: what changes without a rule`);
    const all = Object.entries(WORLDS).map(([name, make]) => {
      const compared = compare(make, first, count, rules);
      console.log(`  ${name}: ${figures(compared.whole)}`);
      return { name, ...compared };
    });
    for (const rule of rules) {
      const change = (w: (typeof all)[number], of: (typeof FIGURES)[number]): number =>
        w.without.get(rule)![of] - w.whole[of];
      const total = FIGURES.map((of) => all.reduce((s, w) => s + change(w, of), 0));
      const said = total.map(
        (n, i) => `${['right', 'found', 'left open', 'false'][i]} ${n > 0 ? '+' : ''}${n}`,
      );
      const nothing = all.every((w) => FIGURES.every((of) => change(w, of) === 0));
      console.log(`  ${rule.padEnd(26)} ${nothing ? 'nothing' : said.join(', ')}`);
    }
  }
}
