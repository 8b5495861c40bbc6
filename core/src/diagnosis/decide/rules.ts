/** One rule by which a diagnosis says less, or says it differently, than the likelihoods of its fits alone would. */
export interface Rule {
  /** When it applies. */
  when: string;
  /** What follows. */
  then: string;
  why: string;
  /** Where its number comes from. */
  source: string;
}

const MEASURED =
  'packs of the four simulated worlds, counts beside its constant; what it is worth: `npm run bench diagnosis -- --without`';

/** Every rule between the fits of a channel and what is told of it, by name. The constants stand beside the code that asks for the rule. */
export const RULES = {
  'nothing-fits': {
    when: 'the best cause leaves many times what readings scatter by, and a large share of the deviation',
    then: 'the channel is left open',
    why: 'a verdict is no better than its fit',
    source: MEASURED,
  },
  'standing-on-a-flat-curve': {
    when: 'a wrong reading is likeliest at one charge of a flat curve',
    then: 'other causes stay open over twice the usual distance',
    why: 'a gap of charge as large as it takes looks like a wrong reading there',
    source: MEASURED,
  },
  'short-span': {
    when: 'the record moved its pack by less than 15 % of charge, and a low capacity is likeliest',
    then: 'imbalance or low capacity, left open',
    why: 'a gap that grows and one that stays look alike over so little charge',
    source: MEASURED,
  },
  'full-end-tells': {
    when: 'an imbalance on a flat curve shows at the full end and the fit leaves little of it',
    then: 'lost lithium is no longer open',
    why: 'near full a flat curve rises by the positive electrode, which lost lithium does not move',
    source: 'half-cell potentials; ' + MEASURED,
  },
  'flat-steps-alike': {
    when: 'imbalance and low capacity are both open on a flat curve whose steps were fitted',
    then: 'the two of them, as likely as each other',
    why: 'missing charge and lost lithium move the steps alike',
    source: 'half-cell potentials; ' + MEASURED,
  },
  'flat-unclean': {
    when: 'an imbalance on a flat curve stands alone, and its fit leaves more than readings scatter by',
    then: 'imbalance or low capacity, left open',
    why: 'its steps do not lie as in the others',
    source: MEASURED,
  },
  'capacity-may-not-matter': {
    when: 'a loss by one electrode is near the size that matters',
    then: 'no surer than that it is larger',
    why: 'its figure leaves open whether it matters',
    source: 'normal distribution of the figure',
  },
  'electrode-noise': {
    when: 'the curve has fitted electrodes',
    then: 'the readings of a channel say no more than 150 of them that scatter by 1 mV',
    why: 'boards and curves err alike in all of them',
    source: MEASURED,
  },
  'leak-plain-in-itself': {
    when: 'charge is free as well as leakage',
    then: 'a leakage within four standard deviations of none is no explanation',
    why: 'it is an imbalance told twice',
    source: MEASURED,
  },
  'electrode-loss-plain': {
    when: 'a loss by one electrode explains a channel',
    then: 'it has to be three times as plain as anything else, and be a loss',
    why: 'it bends to whatever the model of a load leaves',
    source: MEASURED,
  },
  'electrode-loss-rare': {
    when: 'a loss by one electrode is weighed against the other causes',
    then: 'eight to one against it, all forms together',
    why: 'one channel among others is oftener out of balance or worn as they are',
    source: 'common practice, no source',
  },
  'seen-as-one': {
    when: 'a wrong reading explains a channel',
    then: 'the channel has to lie off by half of it, to the same side, for a tenth of the record',
    why: 'one that only appears in a fit is the bend of a curve that the table does not know',
    source: MEASURED,
  },
  'small-gap': {
    when: 'the nearest answer is a small gap of charge or capacity',
    then: 'no other is looked for further off along the bend',
    why: 'the bend of the curve cannot hide a better answer from so near',
    source: 'saves time; ' + MEASURED,
  },
  'has-to-matter': {
    when: 'a difference is certain',
    then: 'it is named as harmless unless it lies beyond what healthy channels differ by',
    why: 'a long record makes a healthy difference certain, not a fault',
    source: 'what matters of each chemistry; healthy scatter of the pack',
  },
  'pair-needs-less': {
    when: 'two neighbours are off by as much, one each way',
    then: 'either needs to be less plain by itself',
    why: 'no two faults of cells mirror each other',
    source: MEASURED,
  },
  'flat-loss-plain': {
    when: 'a low capacity is likeliest on a flat curve over which the record moved',
    then: 'it has to stand out by 30',
    why: 'the steps lie a little elsewhere in every cell',
    source: MEASURED,
  },
  'second-look': {
    when: 'channels of four modules are odd by charge, or one is so faintly',
    then: 'the spread of the healthy channels is estimated once more without them',
    why: 'faults keep together, what a pack differs by does not',
    source: MEASURED,
  },
  'one-reading': {
    when: 'the record shows one state of charge at rest',
    then: 'a ranked list of causes, never a verdict',
    why: 'charge, capacity, leakage and reading all move one voltage',
    source: 'docs/decisions/one-reading.md',
  },
  'strange-channel': {
    when: 'nothing is told of a channel, and its readings are none that a cell or board would give',
    then: 'it is told as unexplained',
    why: 'a channel nobody can explain is not healthy',
    source: 'from memory',
  },
} as const satisfies Record<string, Rule>;

export type RuleName = keyof typeof RULES;

const leftOut = new Set<RuleName>();

/** Whether a rule is asked at all: always, but for what a benchmark leaves out to see what it is worth. */
export const asks = (rule: RuleName): boolean => !leftOut.has(rule);

/** Runs something with a rule left out: for benchmarks alone, which measure what each is worth. */
export function withoutRule<T>(rule: RuleName, run: () => T): T {
  leftOut.add(rule);
  try {
    return run();
  } finally {
    leftOut.delete(rule);
  }
}
