import type { Measure } from '../route/measures';
import type { Stage } from '../route/stages';

/** What a check of the proof says: seen and right, seen and on the edge, seen and wrong, not seen yet. */
export type ProofState = 'pass' | 'hold' | 'fail' | 'open';

/** How far a repair is driven before it counts as proven: the schools of the trade, km. Common practice, no source. */
export const ROAD_TESTS = { short: 20, span: 150, long: 1000 } as const;
export type RoadTest = keyof typeof ROAD_TESTS;
export const ROAD_TEST_IDS = Object.keys(ROAD_TESTS) as [RoadTest, ...RoadTest[]];

/** Limits that the checks are judged by; the maker's where the profile has them. */
export interface ProofLimits {
  insulationOhm: number;
  /** Widest gap between blocks under load, V. */
  blockSpreadV: number;
  roadTest: RoadTest;
  /** How long the pre-charge takes to 95 %, by resistor and bus capacitance, s (3·R·C); null where the profile does not say. */
  preChargeS?: number | null | undefined;
}
export interface ProofFacts {
  measures: readonly Measure[];
  nimh: boolean;
  /** A leak was found, or looked for after water. */
  leak: boolean;
  /** Trouble codes that the vehicle came with. */
  codes: readonly string[];
  limits: ProofLimits;
  /** What was looked at, the newest of each check and place. */
  checks: readonly {
    check: string;
    place: string;
    passed: boolean;
    value: number | null;
    /** What was worked out of its own figures; it says more than one of them. */
    found?: { state: ProofState; says: string } | undefined;
  }[];
}

interface ProofFact {
  need: string;
  /** What somebody answers with yes or no. */
  asks: string;
  /** How it is done and what counts. */
  how: (f: ProofFacts) => string;
  unit?: string;
  /** Whether a measure asks for it; checks of the whole vehicle are asked for once. */
  of: (m: Measure, f: ProofFacts) => boolean;
  per: 'job' | 'measure';
  /** Where the work goes on when it fails. */
  back: Stage;
  /** What its figure says; without one the answer alone counts. */
  judge?: (value: number, f: ProofFacts) => { state: ProofState; says: string };
}

/** In steps: right up to the first figure, on the edge up to the second, wrong beyond it. */
const upTo =
  (good: number, edge: number, words: (v: number) => string) =>
  (v: number): { state: ProofState; says: string } => ({
    state: v <= good ? 'pass' : v <= edge ? 'hold' : 'fail',
    says: words(v),
  });
const number = (v: number): string => String(Number(v.toPrecision(3))).replace('-', '−');
const kilo = (ohm: number): string =>
  ohm >= 1e6 ? `${number(ohm / 1e6)} MΩ` : ohm >= 1000 ? `${number(ohm / 1000)} kΩ` : `${number(ohm)} Ω`;

const OPENED = new Set<string>([
  'replace-module',
  'replace-board',
  'mend-joint',
  'dry',
  'replace-fuse',
  'seal',
  'coolant',
  'recover',
  'condition',
  'whole-pack',
  'exchange',
]);
const WET = new Set<string>(['dry', 'seal', 'coolant']);
/** Why a module came out that lost charge by itself. */
const LEAKED_DOWN = /self-discharge|leak-down|flat|falls behind/i;

/**
 * What proves a repair, by what was wrong. The figures are common practice of the trade, no source, but where the profile
 * has the maker's; the maker's procedure comes first.
 */
/** 3·R·C in words. */
const preChargeWords = (s: number): string => (s < 1 ? `${Math.round(s * 1000)} ms` : `${s.toFixed(1)} s`);

/** How far a board may read from the meter, mV: right up to the first, on the edge up to the second. Common practice, no source. */
export const APART_MV = { good: 6, edge: 15 } as const;

export const PROOFS = {
  'insulation-after-drive': {
    need: 'Insulation after a drive',
    asks: 'The vehicle’s own figure, or both poles, after it was driven and warm',
    how: (f) =>
      `Drive it warm, wet its underside if water came in, then read the vehicle’s figure or measure both poles: at least ${kilo(f.limits.insulationOhm)}, twice that to be at ease.`,
    unit: 'Ω',
    of: (m, f) => WET.has(m.kind) || (f.leak && m.kind === 'replace-module'),
    per: 'job',
    back: 'insulation',
    judge: (v, f) => ({
      state: v < f.limits.insulationOhm ? 'fail' : v < 2 * f.limits.insulationOhm ? 'hold' : 'pass',
      says: `${kilo(v)} of at least ${kilo(f.limits.insulationOhm)}.`,
    }),
  },
  'board-agrees': {
    need: 'Board against meter',
    asks: 'Every channel of the board reads as the meter does, and none jumps',
    how: () =>
      `Meter every channel of the board at rest and hold it against a scan of the same rest: ${APART_MV.good} mV apart at most.`,
    unit: 'mV',
    of: (m) => m.kind === 'replace-board',
    per: 'measure',
    back: 'findings',
    judge: (v) => upTo(APART_MV.good, APART_MV.edge, (x) => `${number(x)} mV apart at most.`)(Math.abs(v)),
  },
  'joint-under-load': {
    need: 'Joint under load',
    asks: 'No sag of its own and no warmth under a step of current',
    how: () =>
      'A hard pull of some minutes, then feel by camera or sensor: within 5 K of joints of its kind, no sag at its channels.',
    unit: 'K',
    of: (m) => m.kind === 'mend-joint',
    per: 'measure',
    back: 'rebuild',
    judge: upTo(5, 10, (v) => `${number(v)} K above joints of its kind.`),
  },
  standing: {
    need: 'Standing days',
    asks: 'Stood three days and fell no further behind',
    how: () =>
      'Stand it three days unplugged, scan before and after: 2 mV a day against the others is the edge of what can be read.',
    unit: 'mV a day',
    // What was levelled and loses charge by itself lies low again.
    of: (m) =>
      m.kind === 'recover' ||
      m.kind === 'balance' ||
      (m.kind === 'replace-module' && LEAKED_DOWN.test(m.why)),
    per: 'measure',
    back: 'findings',
    judge: upTo(2, 5, (v) => `Falls behind by ${number(v)} mV a day.`),
  },
  'blocks-under-load': {
    need: 'Blocks under load',
    asks: 'The blocks stay together under load, and the charge display does not swing',
    how: (f) =>
      `Full throttle up a ramp, and a long brake: the blocks within ${number(f.limits.blockSpreadV)} V of each other, the display steady.`,
    unit: 'V',
    of: (m, f) => f.nimh && (m.kind === 'condition' || m.kind === 'replace-module'),
    per: 'job',
    back: 'bench',
    judge: (v, f) =>
      upTo(
        f.limits.blockSpreadV,
        1.3 * f.limits.blockSpreadV,
        (x) => `${number(x)} V apart under load.`,
      )(Math.abs(v)),
  },
  contactors: {
    need: 'Contactors and pre-charge',
    asks: 'Pre-charge, then two clicks; no code of the contactors',
    how: (f) =>
      `Switch it ready and listen for two clicks, or log the bus: it reaches 95 % of the pack before the second main closes${
        f.limits.preChargeS
          ? `, which takes ${preChargeWords(f.limits.preChargeS)} by its resistor and capacitance`
          : ''
      }, and each opens again.`,
    unit: '% of the pack’s voltage',
    of: (m) => ['replace-fuse', 'whole-pack', 'exchange', 'recover'].includes(m.kind),
    per: 'job',
    back: 'findings',
    judge: (v) => ({
      // More than the pack has is no reading of it.
      state: v > 105 ? 'hold' : v >= 95 ? 'pass' : v >= 90 ? 'hold' : 'fail',
      says: `The bus had ${number(v)} % when the main closed.`,
    }),
  },
  codes: {
    need: 'Codes stay away',
    asks: 'Codes kept with the job, then cleared; none came back over three drives',
    how: (f) =>
      `${f.codes.length > 0 ? `It came with ${f.codes.join(', ')}: kept here. ` : ''}Clear what was mended, never crash data, and read again after each of three drives from cold.`,
    unit: 'drives',
    of: (m) => OPENED.has(m.kind) || m.kind === 'balance',
    per: 'job',
    back: 'findings',
    judge: (v) => ({
      state: v >= 3 ? 'pass' : 'hold',
      says: `${number(v)} ${v === 1 ? 'drive' : 'drives'} without one.`,
    }),
  },
  charge: {
    need: 'Charge test',
    asks: 'Charged to full at the plug without breaking off',
    how: () => 'A whole charge to full, watched at its beginning and its end.',
    of: (m) => OPENED.has(m.kind) || m.kind === 'balance',
    per: 'job',
    back: 'findings',
  },
  'road-test': {
    need: 'Road test',
    asks: 'Driven over the span of charge, no limp, no lamp',
    how: (f) =>
      `${ROAD_TESTS[f.limits.roadTest]} km by this workshop’s choice, from nearly full to nearly empty, so that both ends are seen under load.`,
    unit: 'km',
    of: (m) => OPENED.has(m.kind) || m.kind === 'balance',
    per: 'job',
    back: 'findings',
    judge: (v, f) => {
      const least = ROAD_TESTS[f.limits.roadTest];
      return v >= least
        ? { state: 'pass', says: `${number(v)} km.` }
        : { state: 'hold', says: `${number(v)} of ${least} km.` };
    },
  },
} as const satisfies Record<string, ProofFact>;
export type ProofId = keyof typeof PROOFS;
export const PROOF_IDS = Object.keys(PROOFS) as [ProofId, ...ProofId[]];
export const proofFacts = (id: ProofId): ProofFact => PROOFS[id];
export const isProof = (id: string): id is ProofId => Object.hasOwn(PROOFS, id);

export interface Proof {
  id: ProofId;
  /** Empty for the whole vehicle. */
  place: string;
  need: string;
  asks: string;
  how: string;
  unit: string;
  state: ProofState;
  says: string;
}

/** What is to be seen before this repair counts as proven, and what of it has been: in a fixed order, each once. */
export function proofsOf(f: ProofFacts): Proof[] {
  const standing = f.measures.filter((m) => m.dropped === '');
  return PROOF_IDS.flatMap((id) => {
    const p = proofFacts(id);
    const asked = standing.filter((m) => p.of(m, f));
    const places = p.per === 'job' ? (asked.length > 0 ? [''] : []) : [...new Set(asked.map((m) => m.place))];
    return places.map((place): Proof => {
      const seen = f.checks.find((c) => c.check === id && c.place === place);
      const { state, says } = judged(p, seen, f);
      return { id, place, need: p.need, asks: p.asks, how: p.how(f), unit: p.unit ?? '', state, says };
    });
  });
}

function judged(
  p: ProofFact,
  seen: ProofFacts['checks'][number] | undefined,
  f: ProofFacts,
): { state: ProofState; says: string } {
  if (!seen) return { state: 'open', says: 'Not seen yet.' };
  if (seen.found) return seen.found;
  const figure = p.judge && seen.value !== null ? p.judge(seen.value, f) : null;
  // Whoever looked and says it is not right is believed, whatever the figure says.
  if (!seen.passed)
    return { state: 'fail', says: [figure?.says, 'Not right, by whoever looked.'].filter(Boolean).join(' ') };
  if (figure) return figure;
  return p.judge
    ? { state: 'hold', says: 'Seen, without its figure.' }
    : { state: 'pass', says: 'Seen, and right.' };
}

/** What stands between this repair and “proven”: what failed, and what is on the edge or not seen. */
export const notProven = (proofs: readonly Proof[]): { failed: Proof[]; open: Proof[] } => ({
  failed: proofs.filter((p) => p.state === 'fail'),
  open: proofs.filter((p) => p.state === 'open' || p.state === 'hold'),
});
/** What failed of a repair, and the stage in which the work goes on: a code that came back, blocks that fall apart, a leak again. */
export const backFrom = (proofs: readonly Proof[]): { stage: Stage; says: string }[] =>
  notProven(proofs).failed.map((p) => ({ stage: proofFacts(p.id).back, says: proofWords(p) }));
/** “Board against meter SB2: Not seen yet.” */
export const proofWords = (p: Pick<Proof, 'need' | 'place' | 'says'>): string =>
  `${[p.need, p.place].filter(Boolean).join(' ')}: ${p.says}`;
