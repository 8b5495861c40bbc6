import { SCHOOLS as CONDITIONING_SCHOOLS } from '@cellmend/core/learn';
import { SWAP_SCHOOLS } from '@cellmend/core/match';
import { ROAD_TEST_IDS } from '@cellmend/core/prove';
import {
  GLOVE_CLASSES,
  HAZARDS,
  PROOF_KINDS,
  STOP_KINDS,
  USUAL_DEAD_V,
  type GloveClass,
  type LockoutEntry,
  type StepData,
} from '@cellmend/core/safety';
import { NO_EQUIPMENT } from '@cellmend/core/stripdown';
import { z } from 'zod';

const volts = z.number().min(-2000).max(2000);
const text = z.string().trim().max(2000);
export const GloveClassSchema = z.enum(GLOVE_CLASSES.map((g) => g.name) as [GloveClass, ...GloveClass[]]);

/** What a person did at one step of the lock-out. */
export const StepDataSchema: z.ZodType<StepData> = z.discriminatedUnion('step', [
  z.object({ step: z.literal('look'), text, calm: z.boolean() }),
  z.object({
    step: z.literal('quarantine'),
    decision: z.enum(['outdoors', 'stays']),
    place: z.string().trim().max(200),
    reason: z.string().trim().max(500).default(''),
  }),
  z.object({ step: z.literal('pyro-evidence'), ohm: z.number().min(0).max(1e13).nullable(), text }),
  z.object({ step: z.literal('insulation-evidence'), ohm: z.number().min(0).max(1e13).nullable(), text }),
  z.object({
    step: z.literal('group-voltages'),
    lowestV: z.number().min(-20).max(60).nullable(),
    text: text.default(''),
  }),
  z.object({ step: z.literal('hazards') }),
  z.object({
    step: z.literal('gloves'),
    gloveClass: GloveClassSchema,
    testedOn: z.iso.date('A date such as 2026-06-30.'),
    airTest: z.boolean(),
  }),
  z.object({ step: z.literal('barrier'), secondPerson: z.string().trim().min(1).max(80) }),
  z.object({ step: z.literal('low-voltage') }),
  z.object({ step: z.literal('disconnect'), keptBy: z.string().trim().min(1).max(80) }),
  z.object({
    step: z.literal('live-dead-live'),
    meterBeforeV: volts,
    plusMinusV: volts,
    plusChassisV: volts,
    minusChassisV: volts,
    meterAfterV: volts,
  }),
  z.object({ step: z.literal('second-person') }),
  z.object({
    step: z.literal('join'),
    gloveClass: GloveClassSchema,
    testedOn: z.iso.date('A date such as 2026-06-30.'),
    airTest: z.boolean(),
    tag: z.string().trim().min(1, 'Which key or tag of your own.').max(80),
    takesOver: z.boolean(),
    secondPerson: z.string().trim().max(80).default(''),
  }),
]);
export const BeginLockoutSchema = z.object({ hazards: z.array(z.enum(HAZARDS)).max(HAZARDS.length) });
/** A step belongs to the lock-out that was on screen; a correction names the entry it supersedes and says why. */
export const NewStepSchema = z.object({
  lockoutId: z.uuid(),
  data: StepDataSchema,
  /** When it was done, by the tablet's clock: a proof that comes late is measured again. */
  observedAt: z.iso.datetime({ offset: true }),
  supersedes: z.uuid().nullable().default(null),
  reason: z.string().trim().max(500).default(''),
});
export type NewStep = z.input<typeof NewStepSchema>;
export const CLOSE_REASONS = ['re-energised', 'shift', 'finished'] as const;
/** Why a watch may end before its rule is met; empty where the rule is met. */
export const EndWatchSchema = z.object({ reason: z.string().trim().max(500).default('') });
export const CloseLockoutSchema = z.object({ reason: z.enum(CLOSE_REASONS), note: text.default('') });

export const NewStopSchema = z.object({
  kind: z.enum(STOP_KINDS),
  place: z.string().trim().max(40).default(''),
  note: text.default(''),
});
export const StopSchema = z.object({
  id: z.uuid(),
  kind: z.enum(STOP_KINDS),
  place: z.string(),
  note: z.string(),
  by: z.string(),
  at: z.string(),
  /** Instruments of this job that were on, and whether their output could be taken off. */
  outputs: z.array(z.object({ instrument: z.string(), output: z.enum(['off', 'unknown']) })),
});
export type Stop = z.infer<typeof StopSchema>;
export const EndStopSchema = z.object({ reason: z.string().trim().min(3, 'Say why it may end.').max(500) });

const kg = z.number().gt(0).max(100_000).nullable();
const mm = z.number().gt(0).max(50_000);
/** What brings a pack down, carries it and sends it; null where there is none, or nobody has said. */
export const EquipmentSchema = z.object({
  liftTableKg: kg,
  hoistKg: kg,
  crateMm: z.tuple([mm, mm, mm]).nullable(),
  crateKg: kg,
  doorMm: z.tuple([mm, mm]).nullable(),
  vanKg: kg,
});

/** What keeps people safe at the gate: versioned, and signed by a qualified person. */
export const SAFETY_RULES = ['twoPersons', 'gateHours', 'leastWaitMin', 'deadV'] as const;
export type SafetyRules = Pick<WorkshopSettings, (typeof SAFETY_RULES)[number]>;

/** The workshop's own rules. */
export const WorkshopSettingsSchema = z.object({
  twoPersons: z.boolean(),
  gateHours: z.number().min(1).max(24),
  leastWaitMin: z.number().min(1).max(120),
  /** Behind open contactors every point is at or below this to count as dead, V. */
  deadV: z.number().min(0.5).max(30),
  callWhom: z.string().trim().max(1000),
  quarantinePlace: z.string().trim().max(300),
  equipment: EquipmentSchema,
  /** How far a repair is driven before it counts as proven. */
  roadTest: z.enum(ROAD_TEST_IDS).default('span'),
  /** Days on which nobody is there, besides the usual. */
  closedOn: z.array(z.iso.date()).max(100).default([]),
  /** Where practitioners disagree, what this workshop begins with; the other way is worked out beside it. */
  swap: z.enum(SWAP_SCHOOLS).default('failed'),
  /** What holds less than so much of the typical module counts as below the limit. */
  swapLimitShare: z.number().min(0.5).max(1).default(0.85),
  balanceBy: z.enum(['supply', 'bleeders']).default('supply'),
  /** Usual test voltage, V; the maker's bounds come first. */
  testV: z.union([z.literal(0), z.literal(250), z.literal(500), z.literal(1000)]).default(0),
  conditioning: z.enum(CONDITIONING_SCHOOLS).default('slow-balance'),
  /** What an hour of work costs here; null where nobody has said. */
  hourRate: z.number().min(0).max(100_000).nullable().default(null),
  /** Version of the rules of the gate; the server's own. */
  rulesVersion: z.int().min(0).default(0),
});
export type WorkshopSettings = z.infer<typeof WorkshopSettingsSchema>;
/** Until a lead sets them. Saving always takes all of them: nothing falls back unsaid. */
export const FIRST_RULES: WorkshopSettings = {
  twoPersons: false,
  gateHours: 10,
  leastWaitMin: 5,
  deadV: USUAL_DEAD_V,
  callWhom: '',
  quarantinePlace: '',
  equipment: { ...NO_EQUIPMENT },
  roadTest: 'span',
  closedOn: [],
  swap: 'failed',
  swapLimitShare: 0.85,
  balanceBy: 'supply',
  testV: 0,
  conditioning: 'slow-balance',
  hourRate: null,
  rulesVersion: 0,
};

/** Where a job's lock-out stands. Times are the server's. */
export const SafetyViewSchema = z.object({
  begun: z.boolean(),
  /** The lock-out that is open; steps name it. */
  lockoutId: z.uuid().nullable(),
  hazards: z.array(z.enum(HAZARDS)),
  suggestedHazards: z.array(z.enum(HAZARDS)),
  packV: z.number(),
  /** Which figure the highest voltage is: the careful one of profile, scan and meter. */
  packVFrom: z.enum(['profile', 'scan', 'meter']),
  /** `scan` where a scan tells the voltages of the modules, else as if full. */
  moduleVFrom: z.enum(['scan', 'full']),
  moduleV: z.array(z.number()),
  openLinks: z.array(z.string()),
  /** The same with the service disconnect, out by the lock-out: what a tester's lead does not reach across. */
  linksOut: z.array(z.string()),
  entries: z.array(z.custom<LockoutEntry & { id: string }>()),
  /** Everything that was ever entered, newest last, with what superseded it. */
  evidence: z.array(
    z.object({
      id: z.uuid(),
      kind: z.string(),
      says: z.string(),
      by: z.string(),
      at: z.string(),
      supersededBy: z.uuid().nullable(),
      reason: z.string(),
    }),
  ),
  /** A thermal watch that came with the hazards and has not ended. */
  watch: z
    .object({
      since: z.string(),
      everyMin: z.number(),
      leastHours: z.number(),
      why: z.string(),
      mayEnd: z.boolean(),
      whyNot: z.string(),
    })
    .nullable(),
  names: z.record(z.string(), z.string()),
  settings: WorkshopSettingsSchema,
  gloves: z.object({ gloveClass: GloveClassSchema.nullable(), testedOn: z.string().nullable() }),
  /** Who works behind this lock-out, with their own key or tag, and who stays in sight. */
  workers: z.array(z.object({ id: z.string(), name: z.string(), tag: z.string(), gloveClass: z.string() })),
  standby: z.string(),
  /** Why whoever asks may not work behind it; empty where they may. */
  workFault: z.string(),
  /** How the last lock-out ended, where none is open. */
  closed: z.object({ why: z.string(), by: z.string(), at: z.string() }).nullable(),
  stops: z.array(StopSchema),
  /** What Stops of this job ever told of, also those that were ended. */
  stopKinds: z.array(z.enum(STOP_KINDS)),
  holds: z.boolean(),
  why: z.string(),
  now: z.object({ wallMs: z.number(), bootId: z.string().nullable(), upS: z.number().nullable() }),
});
export type SafetyView = z.infer<typeof SafetyViewSchema>;

/** In short, for the header and the route. */
export const GateSchema = z.object({
  holds: z.boolean(),
  /** What a proof that counts has shown; a pack of class A is never dead. */
  proof: z.enum(PROOF_KINDS).nullable(),
  provenAt: z.string().nullable(),
  until: z.string().nullable(),
  begun: z.boolean(),
  why: z.string(),
  stop: StopSchema.nullable(),
});
export type Gate = z.infer<typeof GateSchema>;
