/** The stages of a job, in the order they are worked. */
export const STAGES = [
  'intake',
  'scan',
  'findings',
  'make-safe',
  'insulation',
  'strip-down',
  'bench',
  'match',
  'balance',
  'rebuild',
  'prove',
  'hand-over',
] as const;
export type Stage = (typeof STAGES)[number];

/** What pages, timeline and sheets say of a stage. */
export interface StageFacts {
  name: string;
  question: string;
  phase: 'Diagnose' | 'Isolate' | 'Repair' | 'Return';
  /** Work there opens the pack: closed until the gate holds. */
  opens?: true;
  /** What a number typed there without a unit is; a voltage where nothing else is named. */
  usual?: 'insulation' | 'torque';
  /** Which layer of the pack map is laid there; the deviation of the channels where none is named. */
  layer?: 'exposure' | 'insulation' | 'removal' | 'bench';
  /** The pack is shown as it is after the repair, once that was scanned. */
  after?: true;
  /** What endangers whoever works there; the maker's procedure and local codes come first. */
  caution?: string;
}

export const STAGE_FACTS: Record<Stage, StageFacts> = {
  intake: {
    name: 'Intake',
    phase: 'Diagnose',
    question: 'What does the owner see, and what happened before?',
  },
  scan: { name: 'Scan', phase: 'Diagnose', question: 'What does the vehicle report, channel by channel?' },
  findings: { name: 'Findings', phase: 'Diagnose', question: 'Which group holds the pack back, and why?' },
  'make-safe': {
    name: 'Make safe',
    phase: 'Isolate',
    question: 'Is the pack proven dead?',
    layer: 'exposure',
    caution:
      'Follow the maker’s procedure and your local code. Only persons qualified for high voltage prove a pack dead. Each half of the pack stays live after the disconnect is out.',
  },
  insulation: {
    name: 'Insulation',
    phase: 'Isolate',
    question: 'Where does high voltage reach the chassis?',
    usual: 'insulation',
    layer: 'insulation',
    caution: 'Disconnect the management unit before any test voltage. Treat the opened pack as live.',
  },
  'strip-down': {
    name: 'Strip down',
    phase: 'Isolate',
    question: 'What comes off, in which order, and what does it show?',
    opens: true,
    layer: 'removal',
    caution: 'An opened pack is live work. Sense plug off before power links; lift with a fixture.',
  },
  bench: {
    name: 'Bench',
    phase: 'Repair',
    question: 'What does each module hold?',
    layer: 'bench',
    caution: 'Never leave a charging module unwatched. Hot, hissing or swollen: outdoors and quarantine.',
  },
  match: { name: 'Match', phase: 'Repair', question: 'Which module fits the rest of this pack?' },
  balance: { name: 'Balance', phase: 'Repair', question: 'How much charge brings the newcomer level?' },
  rebuild: {
    name: 'Rebuild',
    phase: 'Return',
    question: 'Is every joint tight, sealed and insulated?',
    usual: 'torque',
    opens: true,
    layer: 'removal',
    caution: 'Torque every joint to the maker’s figure and mark it. The sense plug goes on last.',
  },
  prove: { name: 'Prove', phase: 'Return', question: 'Is the repair proven at both ends?', after: true },
  'hand-over': {
    name: 'Hand over',
    phase: 'Return',
    question: 'What does the owner need to know?',
    after: true,
  },
};

/** Stages that open the pack. */
export const GATED_STAGES: readonly Stage[] = STAGES.filter((s) => STAGE_FACTS[s].opens);

/** The stages by phase, as the header shows them. */
export const PHASES = (['Diagnose', 'Isolate', 'Repair', 'Return'] as const).map((name) => ({
  name,
  stages: STAGES.filter((s) => STAGE_FACTS[s].phase === name).map((id) => ({
    id,
    name: STAGE_FACTS[id].name,
    question: STAGE_FACTS[id].question,
  })),
}));
