import type { RouteFacts } from './facts';
import type { Measure } from './measures';
import { EVIDENCE_IDS, type EvidenceId } from './order';
import type { Stage } from './stages';

export interface EvidenceFacts {
  /** Where it is taken. */
  stage: Stage;
  /** In a word or three, for the board. */
  need: string;
  /** What is to be done, in one sentence; `at` is the place or “the pack”. */
  says: (at: string, facts: RouteFacts) => string;
  /** Once for the job, or for each measure that asks for it. */
  per: 'job' | 'measure';
  /** Somebody records it by hand, as passed or not; else the record itself shows it. */
  check?: {
    asks: string;
    unit?: string;
    /** What it asks besides, each of which may be left out and is then told as not done; the rest is what it needs. */
    besides?: readonly string[];
    /** What has to be written down with it before it counts: who took it, by which note. */
    papers?: string;
  };
  met: (facts: RouteFacts, measure: Measure) => boolean;
  /** What has to be there first, and how the header says so. */
  after?: { evidence: EvidenceId; note: string };
  /** Only once everything before it is there. */
  last?: true;
  /** Work inside the pack, which another workshop may have done. */
  here?: true;
  /** It is measured or looked at, and nothing inside the pack is moved: an insulation test of before it stays good. */
  movesNothing?: true;
}

const checked =
  (id: string) =>
  (f: RouteFacts, m: Measure): boolean =>
    f.checks.some((c) => c.check === id && c.passed && c.place === m.place);
const checkedOnce =
  (id: string) =>
  (f: RouteFacts): boolean =>
    f.checks.some((c) => c.check === id && c.passed);
const GATE = { evidence: 'made-safe', note: 'gate' } as const;

/** All that a check asks, in one line; without what was left out. */
export const checkAsks = (
  { asks, besides = [] }: NonNullable<EvidenceFacts['check']>,
  left: readonly string[] = [],
): string => [asks, ...besides.filter((b) => !left.includes(b))].join(', ');

/** What each is, where it is taken and what shows that it is there. */
export const EVIDENCE: Record<EvidenceId, EvidenceFacts> = {
  record: {
    stage: 'scan',
    need: 'Measure it',
    per: 'job',
    says: () =>
      'Nothing is measured yet: a scan, voltages typed by hand near full and near empty, or what it shows in the buyer’s check.',
    met: (f) => f.scans.length > 0 || f.appraised === true,
  },
  'locked-evidence': {
    stage: 'make-safe',
    need: 'Keep the evidence',
    per: 'job',
    says: () =>
      'What was seen, the pyro fuse, the insulation and the lowest voltage are written down before it goes to whoever is licensed.',
    met: (f) => f.lockedEvidence,
  },
  'made-safe': {
    stage: 'make-safe',
    need: 'Make safe',
    per: 'job',
    says: () => 'The pack is proven dead before it is opened.',
    met: (f, m) => m.closed || f.gate.ever,
    here: true,
  },
  reached: {
    stage: 'strip-down',
    need: 'Strip down',
    per: 'measure',
    says: (at) => `${at} is laid free, with photos, fasteners bagged and what was seen written down.`,
    check: { asks: 'Laid free', besides: ['photographed', 'fasteners bagged', 'what was seen written down'] },
    met: (f, m) => m.closed || checked('reached')(f, m) || f.fitted.some((p) => p.place === m.place),
    after: GATE,
    here: true,
  },
  cause: {
    stage: 'strip-down',
    need: 'Find the cause',
    per: 'measure',
    says: (at) => `What let it happen at ${at} is found and will not let it again.`,
    check: { asks: 'Cause found', besides: ['mended'] },
    met: checked('cause'),
    after: GATE,
    here: true,
  },
  dried: {
    stage: 'bench',
    need: 'Dry it',
    per: 'measure',
    says: (at) =>
      `${at} is cleaned and dried through, until its insulation rises no more at a known temperature, and wetted again: a dry pass alone proves nothing.`,
    check: {
      asks: 'Cleaned and dried through',
      besides: ['followed until its insulation rose no more', 'wetted again and tested'],
      papers: 'How it was dried: warmth in °C, hours, vacuum or not',
    },
    met: checked('dried'),
    here: true,
  },
  recovery: {
    stage: 'bench',
    need: 'Supervised charge',
    per: 'measure',
    says: (at) => `${at} comes up within the limits: low current, time limit, thermal watch, outdoors.`,
    check: { asks: 'Came up within current, time and temperature', unit: 'V' },
    met: checked('recovery'),
    here: true,
  },
  'hold-test': {
    stage: 'bench',
    need: 'Hold test',
    per: 'measure',
    says: (at) => `${at} holds its voltage for the time of the hold test; a cell that falls is scrap.`,
    check: { asks: 'Held its voltage', unit: 'V' },
    met: checked('hold-test'),
    here: true,
  },
  'part-insulation': {
    stage: 'bench',
    need: 'Insulation of the part',
    per: 'measure',
    says: (at) => `${at} is tested against its case before it goes back.`,
    check: { asks: 'Insulation of the part above its limit', unit: 'Ω' },
    met: checked('part-insulation'),
    here: true,
  },
  'bench-result': {
    stage: 'bench',
    need: 'Bench run',
    per: 'measure',
    says: (at) => `What ${at} holds after conditioning is measured.`,
    check: { asks: 'Capacity after the last cycle', unit: 'A·h' },
    met: checked('bench-result'),
    here: true,
  },
  'part-chosen': {
    stage: 'match',
    need: 'Choose a module',
    per: 'measure',
    says: (at) => `${at} is to be replaced. Pick the donor that fits the rest.`,
    met: (f, m) => f.chosen.some((c) => c.place === m.place),
    here: true,
  },
  'pack-chosen': {
    stage: 'match',
    need: 'Check the pack',
    per: 'job',
    says: () => 'The other pack is scanned on the bench before it is paid for or fitted.',
    check: { asks: 'Scanned on the bench', besides: ['dents looked at', 'connectors looked at'] },
    met: checkedOnce('pack-chosen'),
  },
  level: {
    stage: 'balance',
    need: 'Plan balance',
    per: 'measure',
    says: (at) => `The donor for ${at} has to come level.`,
    met: (f, m) => f.levelled.includes(m.place),
    after: { evidence: 'part-chosen', note: 'after match' },
    here: true,
  },
  levelled: {
    stage: 'balance',
    need: 'Balance',
    per: 'measure',
    says: (at) => `Charge is moved until ${at} lies level, then it rests and is measured again.`,
    check: { asks: 'Level after two hours of rest', unit: 'V' },
    met: checked('levelled'),
    here: true,
  },
  fitted: {
    stage: 'rebuild',
    need: 'Fit it',
    per: 'measure',
    says: (at) => `A part goes in at ${at}, and what came out is placed.`,
    met: (f, m) => f.fitted.some((p) => p.place === m.place),
    after: GATE,
    here: true,
  },
  'pack-fitted': {
    stage: 'rebuild',
    need: 'Fit the pack',
    per: 'job',
    says: () => 'The other pack is in, supported, with its connectors to the second stage.',
    check: { asks: 'Fitted, connectors to the second stage' },
    met: checkedOnce('pack-fitted'),
    here: true,
  },
  joints: {
    stage: 'rebuild',
    need: 'Tighten and mark',
    per: 'measure',
    says: (at, f) =>
      f.remake?.length
        ? `${f.remake.join(', ')}: more than twice what like joints have. Made again before it is closed.`
        : `Joints at ${at} are torqued to the maker’s figure, marked and compared.`,
    check: { asks: 'Torqued', besides: ['marked', 'joint resistances measured and alike'] },
    met: (f, m) => m.closed || (checked('joints')(f, m) && !f.remake?.length),
    after: GATE,
    here: true,
  },
  'board-answers': {
    stage: 'rebuild',
    need: 'Board replies',
    per: 'measure',
    says: (at) => `The board at ${at} replies with every group and temperature.`,
    check: { asks: 'Every group and temperature replies' },
    met: checked('board-answers'),
    after: GATE,
    here: true,
  },
  continuity: {
    stage: 'rebuild',
    need: 'Continuity',
    per: 'measure',
    says: (at) => `The new part at ${at} conducts; what it came in for is why it opened.`,
    check: { asks: 'Conducts', besides: ['why the old one opened is known'] },
    movesNothing: true,
    met: checked('continuity'),
    after: GATE,
    here: true,
  },
  sealed: {
    stage: 'rebuild',
    need: 'Seal it',
    per: 'measure',
    says: (at) => `The new seal, valve or plug at ${at} sits; the old glue is off, the cure time is over.`,
    check: { asks: 'Seated and cured' },
    movesNothing: true,
    met: checked('sealed'),
    after: GATE,
    here: true,
  },
  'coolant-tight': {
    stage: 'rebuild',
    need: 'Leak test',
    per: 'measure',
    says: () => 'The coolant circuit holds its pressure.',
    check: { asks: 'Holds pressure for the maker’s time', unit: 'kPa' },
    met: checked('coolant-tight'),
    after: GATE,
    here: true,
  },
  wakes: {
    stage: 'rebuild',
    need: 'Bench-wake',
    per: 'job',
    says: () => 'The closed but unglued pack wakes: every board replies, pack voltage and delta are right.',
    check: { asks: 'Every board replies, pack voltage right, delta within its limit', unit: 'mV' },
    movesNothing: true,
    met: checkedOnce('wakes'),
    after: GATE,
    here: true,
  },
  'insulation-before-lid': {
    stage: 'insulation',
    need: 'Test insulation',
    per: 'job',
    says: (_, f) =>
      [
        'Every module, and what else of the pack carries its voltage, is tested against the case before the lid goes on.',
        f.insulationMissing,
      ]
        .filter(Boolean)
        .join(' '),
    met: (f, m) => m.closed || f.insulationProven,
    after: GATE,
    here: true,
  },
  disposal: {
    stage: 'strip-down',
    need: 'Dispose',
    per: 'measure',
    says: (at) => `${at} goes to whoever may take it, with its proof.`,
    met: (f, m) => f.disposed.includes(m.place),
    here: true,
  },
  'parts-kept': {
    stage: 'strip-down',
    need: 'Keep what is sound',
    per: 'job',
    says: () =>
      'Each module that is kept is taken out and on record, with what was measured of it; the others go with the rest.',
    check: { asks: 'Everything that is kept is out', besides: ['measured', 'labelled', 'insulation read'] },
    // Parts that were kept are in the record: a word alone keeps none.
    met: (f) => checkedOnce('parts-kept')(f) && (f.takenOut ?? 0) > 0,
    after: GATE,
    here: true,
  },
  'core-returned': {
    stage: 'rebuild',
    need: 'Return the core',
    per: 'job',
    says: () =>
      'The old pack goes back against the other one, marked for what is wrong with it, with its papers.',
    check: {
      asks: 'The old pack is returned',
      besides: ['marked with its state', 'terminals covered'],
      papers: 'Who took it back, number of the note, deposit',
    },
    met: checkedOnce('core-returned'),
    here: true,
  },
  'pack-away': {
    stage: 'strip-down',
    need: 'Hand it to who may take it',
    per: 'job',
    says: () => 'What is left of the pack goes to whoever may take it, with its note.',
    check: {
      asks: 'Handed over',
      besides: ['marked damaged or sound', 'terminals covered', 'packed by the rules for its state'],
      papers: 'Who took it, and the number of the note',
    },
    met: checkedOnce('pack-away'),
    here: true,
  },
  'after-scan': {
    stage: 'scan',
    need: 'Scan again',
    per: 'job',
    says: () => 'Scan near full and near empty once everything is in.',
    met: (f) => f.scans.some((s) => s.role === 'after'),
    last: true,
  },
  'both-ends': {
    stage: 'prove',
    need: 'Compare',
    per: 'job',
    says: () => 'The after-scan is compared with the one before. Is the repair proven?',
    met: (f) => f.proved === true,
    after: { evidence: 'after-scan', note: 'after-scan' },
  },
};
export const evidenceFacts = (id: EvidenceId): EvidenceFacts => EVIDENCE[id];

/** What somebody records by hand as passed or not. */
export const CHECK_IDS = EVIDENCE_IDS.filter((id) => EVIDENCE[id].check) as [EvidenceId, ...EvidenceId[]];
