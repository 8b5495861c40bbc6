import { SIGN_NAMES, type Sign } from '@cellmend/core/triage';
import { z } from 'zod';
import { PackProfileSchema } from './pack';
import { GateSchema } from './safety';
import { FileFormatSchema } from './scans';

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
export const StageSchema = z.enum(STAGES);

export const PHASES: { name: string; stages: { id: Stage; name: string; question: string }[] }[] = [
  {
    name: 'Diagnose',
    stages: [
      { id: 'intake', name: 'Intake', question: 'What does the owner see, and what happened before?' },
      { id: 'scan', name: 'Scan', question: 'What does the vehicle report, channel by channel?' },
      { id: 'findings', name: 'Findings', question: 'Which group holds the pack back, and why?' },
    ],
  },
  {
    name: 'Isolate',
    stages: [
      { id: 'make-safe', name: 'Make safe', question: 'Is the pack proven dead?' },
      { id: 'insulation', name: 'Insulation', question: 'Where does high voltage reach the chassis?' },
      {
        id: 'strip-down',
        name: 'Strip down',
        question: 'What comes off, in which order, and what does it show?',
      },
    ],
  },
  {
    name: 'Repair',
    stages: [
      { id: 'bench', name: 'Bench', question: 'What does each module hold?' },
      { id: 'match', name: 'Match', question: 'Which module fits the rest of this pack?' },
      { id: 'balance', name: 'Balance', question: 'How much charge brings the newcomer level?' },
    ],
  },
  {
    name: 'Return',
    stages: [
      { id: 'rebuild', name: 'Rebuild', question: 'Is every joint tight, sealed and insulated?' },
      { id: 'prove', name: 'Prove', question: 'Is the repair proven at both ends?' },
      { id: 'hand-over', name: 'Hand over', question: 'What does the owner need to know?' },
    ],
  },
];

export const StageStateSchema = z.object({
  state: z.enum(['nothing', 'work', 'blocked', 'done', 'reopened']),
  note: z.string(),
});
export type StageState = z.infer<typeof StageStateSchema>;

export const ScanSummarySchema = z.object({
  id: z.uuid(),
  name: z.string(),
  role: z.enum(['before', 'after']),
  recordedBy: z.string(),
  createdAt: z.string(),
  rows: z.int(),
  durationS: z.number(),
  notices: z.array(z.string()),
  findingId: z.uuid().nullable(),
  startedAt: z.string().nullable(),
  format: FileFormatSchema,
});
export type ScanSummary = z.infer<typeof ScanSummarySchema>;

export const DECISION_TOPICS = ['intake', 'replace', 'match', 'balance', 'prove', 'hand-over'] as const;
/** What was asked at intake: chips and a few numbers. Kept by version like a decision. */
const IntakeBodySchema = z.object({
  topic: z.literal('intake'),
  complaint: z.string().max(2000),
  signs: z.array(z.enum(SIGN_NAMES as [Sign, ...Sign[]])).max(30),
  codes: z.array(z.string().trim().min(5).max(12)).max(30),
  /** Codes were read; without it an empty list says nothing. */
  codesRead: z.boolean().default(false),
  odometerKm: z.number().min(0).max(5_000_000).nullable(),
  ageYears: z.number().min(0).max(60).nullable(),
  deltaMv: z.number().min(0).max(5000).nullable(),
  insulationOhm: z.number().min(0).max(1e13).nullable(),
  aim: z.enum(['limp on', 'restore', 'sell', 'buy']),
  /** What the vehicle is worth as it stands, in the workshop's currency. */
  vehicleValue: z.number().min(0).max(1e8).nullable().default(null),
  /** An earlier repair and its place in the pack, and parts that were changed already. */
  earlierRepair: z.string().max(500).default(''),
});
/** How deep a repair goes, in the words pages and sheets use. */
export const REPAIR_LEVELS = {
  module: 'replace module',
  joint: 'mend the joint',
  balance: 'balance only',
  board: 'sense board or wiring',
  pack: 'whole pack',
  leave: 'leave as it is',
  decline: 'decline the job',
} as const;
export type RepairLevel = keyof typeof REPAIR_LEVELS;
export const DecisionBodySchema = z.discriminatedUnion('topic', [
  IntakeBodySchema,
  z.object({
    topic: z.literal('replace'),
    modules: z.array(z.string().min(1).max(40)).max(100),
    level: z.enum(Object.keys(REPAIR_LEVELS) as [RepairLevel, ...RepairLevel[]]),
  }),
  z.object({ topic: z.literal('match'), moduleId: z.string().min(1).max(40), stockId: z.uuid() }),
  z.object({
    topic: z.literal('balance'),
    currentA: z.number().gt(0).max(500),
    goal: z.enum(['level-now', 'level-when-full']),
    method: z.enum(['supply', 'bleeders']),
  }),
  z.object({ topic: z.literal('prove'), passed: z.boolean() }),
  z.object({
    topic: z.literal('hand-over'),
    expectations: z.string().max(4000),
    notDone: z.string().max(4000),
  }),
]);
export type DecisionBody = z.output<typeof DecisionBodySchema>;
export type DecisionBodyInput = z.input<typeof DecisionBodySchema>;
export const DecisionSchema = z.object({
  id: z.uuid(),
  topic: z.enum(DECISION_TOPICS),
  version: z.int(),
  body: DecisionBodySchema,
  note: z.string(),
  findingIds: z.array(z.uuid()),
  signedBy: z.string(),
  signedAt: z.string(),
});
export type Decision = z.infer<typeof DecisionSchema>;
export const NewDecisionSchema = z.object({
  body: DecisionBodySchema,
  note: z.string().max(2000).default(''),
  findingIds: z.array(z.uuid()).max(20).default([]),
  /** Version this edit starts from; 0 for the first. */
  baseVersion: z.int().min(0).max(100000),
});
export type NewDecision = z.input<typeof NewDecisionSchema>;

export const JobSchema = z.object({
  id: z.uuid(),
  number: z.int(),
  title: z.string(),
  complaint: z.string(),
  openedAt: z.string(),
  pack: PackProfileSchema,
  packProfileId: z.uuid(),
  /** Version of the profile as it is now; findings name the one they were computed with. */
  packVersion: z.int(),
  scans: z.array(ScanSummarySchema),
  decisions: z.array(DecisionSchema),
  route: z.record(StageSchema, StageStateSchema),
  gate: GateSchema,
  demoFiles: z.array(z.string()),
});
export type Job = z.infer<typeof JobSchema>;
export const NewJobSchema = z.object({
  title: z.string().trim().min(1).max(120),
  complaint: z.string().trim().max(2000).default(''),
  packProfileId: z.uuid(),
});

export const BoardRowSchema = z.object({
  number: z.int(),
  title: z.string(),
  detail: z.string(),
  need: z.string(),
  when: z.string().nullable(),
  dueAt: z.string().nullable(),
  stage: StageSchema,
  group: z.enum(['now', 'running', 'closed']),
  marks: z.array(z.object({ module: z.int(), kind: z.enum(['suspect', 'replaced']) })),
  tiles: z.array(z.object({ tier: z.int(), row: z.int(), column: z.int() })),
});
export type BoardRow = z.infer<typeof BoardRowSchema>;
export const BoardSchema = z.object({ rows: z.array(BoardRowSchema) });
