import {
  GLOVE_CLASSES,
  LOCKOUT_ROUTES,
  STOP_KINDS,
  type GloveClass,
  type LockoutEntry,
  type StepData,
} from '@cellmend/core/safety';
import { z } from 'zod';

const volts = z.number().min(-2000).max(2000);
const text = z.string().trim().max(2000);
export const GloveClassSchema = z.enum(GLOVE_CLASSES.map((g) => g.name) as [GloveClass, ...GloveClass[]]);

/** What a person did at one step of the lock-out. */
export const StepDataSchema: z.ZodType<StepData> = z.discriminatedUnion('step', [
  z.object({ step: z.literal('crash-inspection'), text }),
  z.object({ step: z.literal('pyro-evidence'), ohm: z.number().min(0).max(1e13).nullable(), text }),
  z.object({ step: z.literal('insulation-evidence'), ohm: z.number().min(0).max(1e13).nullable(), text }),
  z.object({ step: z.literal('group-voltages'), lowestV: z.number().min(-20).max(60) }),
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
]);
export const BeginLockoutSchema = z.object({ route: z.enum(LOCKOUT_ROUTES) });
export const CLOSE_REASONS = ['re-energised', 'shift', 'finished'] as const;
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
});
export type Stop = z.infer<typeof StopSchema>;
export const EndStopSchema = z.object({ reason: z.string().trim().min(3, 'Say why it may end.').max(500) });

/** The workshop's own rules. */
export const WorkshopSettingsSchema = z.object({
  twoPersons: z.boolean(),
  gateHours: z.number().min(1).max(24),
  leastWaitMin: z.number().min(1).max(120),
  callWhom: z.string().trim().max(1000),
  quarantinePlace: z.string().trim().max(300),
});
export type WorkshopSettings = z.infer<typeof WorkshopSettingsSchema>;
/** Until a lead sets them. Saving always takes all of them: nothing falls back unsaid. */
export const FIRST_RULES: WorkshopSettings = {
  twoPersons: false,
  gateHours: 10,
  leastWaitMin: 5,
  callWhom: '',
  quarantinePlace: '',
};

/** Where a job's lock-out stands. Times are the server's. */
export const SafetyViewSchema = z.object({
  begun: z.boolean(),
  route: z.enum(LOCKOUT_ROUTES),
  suggestedRoute: z.enum(LOCKOUT_ROUTES),
  packV: z.number(),
  /** `scan` where a scan tells the voltages of the modules, else as if full. */
  moduleVFrom: z.enum(['scan', 'full']),
  moduleV: z.array(z.number()),
  openLinks: z.array(z.string()),
  entries: z.array(z.custom<LockoutEntry>()),
  names: z.record(z.string(), z.string()),
  settings: WorkshopSettingsSchema,
  gloves: z.object({ gloveClass: GloveClassSchema.nullable(), testedOn: z.string().nullable() }),
  stops: z.array(StopSchema),
  holds: z.boolean(),
  why: z.string(),
  now: z.number(),
});
export type SafetyView = z.infer<typeof SafetyViewSchema>;

/** Stages that open the pack: closed until the gate holds. */
export const GATED_STAGES = ['strip-down', 'rebuild'] as const;
/** In short, for the header and the route. */
export const GateSchema = z.object({
  holds: z.boolean(),
  provenAt: z.string().nullable(),
  until: z.string().nullable(),
  begun: z.boolean(),
  why: z.string(),
  stop: StopSchema.nullable(),
});
export type Gate = z.infer<typeof GateSchema>;
