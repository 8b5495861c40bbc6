import {
  DEGREE_NAMES,
  EVIDENCE_NAMES,
  FALSE_PASSES,
  OTHER_PARTS,
  VEHICLE_AFTER,
  WAYS_MOST,
  WAY_KINDS,
  WAY_PARTS,
  WAY_STATES,
  type Evidence,
  type FalsePass,
  type InsulationObservation,
  type OtherPart,
} from '@cellmend/core/insulation';
import { z } from 'zod';

const volts = z.number().min(0).max(2000);
const ohm = z.number().min(0).max(1e14);
const id = z.string().trim().min(1).max(40);
export const TestedPartSchema = z.discriminatedUnion('part', [
  z.object({ part: z.literal('section'), from: id, to: id }),
  z.object({ part: z.literal('except'), module: id }),
  z.object({ part: z.literal('inside'), module: id, piece: id }),
  z.object({
    part: z.literal('other'),
    which: z.enum(Object.keys(OTHER_PARTS) as [OtherPart, ...OtherPart[]]),
  }),
  z.object({ part: z.literal('vehicle') }),
  z.object({ part: z.literal('pack') }),
]);
export const SeriesPointSchema = z.object({
  timeS: z.number().min(0).max(7200),
  ohm: ohm.nullable(),
  voltageV: z.number().min(0).max(6000).nullable(),
  atLeast: z.boolean().optional(),
});
/** Current a tester holds its voltage with, and into a short, A: 0.1 to 50 mA. */
export const TesterCurrentSchema = z
  .object({ nominal: z.number().min(1e-4).max(0.05), short: z.number().min(1e-4).max(0.05) })
  .refine((t) => t.short >= t.nominal, {
    path: ['short'],
    message: 'Into a short at least what it holds its voltage with.',
  });

/** What a test is told with, however it is run. */
const clipFields = {
  /** The pole of what is tested that the lead is on, the other on the chassis. */
  terminals: z.enum(['negative', 'positive', 'both']).optional(),
  /** The clips were proven to touch metal. */
  contactProven: z.boolean().nullish(),
  /** Links that are out. Left out: those that the record says are. */
  openLinks: z.array(id).max(200).optional(),
  /** After rain, washing or spraying. */
  wetted: z.boolean().optional(),
  humidityPercent: z.number().min(0).max(100).nullish(),
};
const way = z.string().trim().min(1).max(60);

/** What people and instruments observe of a leak. */
export const InsulationObservationSchema: z.ZodType<InsulationObservation> = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('vehicle'),
    ohm: ohm.nullable(),
    signalV: z.number().min(0).max(100).nullable(),
    wetted: z.boolean().optional(),
    pole: z.enum(['negative', 'positive']).optional(),
    /** When the vehicle showed it; left out where it was just now. */
    readAt: z.iso.datetime({ offset: true }).optional(),
    fromScan: z.object({ id: z.uuid(), name: z.string().max(300) }).optional(),
    after: z.enum(VEHICLE_AFTER).optional(),
    temperatureC: z.number().min(-40).max(90).optional(),
  }),
  z.object({
    kind: z.literal('poles'),
    side: z.enum(['whole', 'pack', 'vehicle']),
    packV: volts.gt(0),
    negativeV: volts,
    positiveV: volts,
    meterOhm: z.number().min(1000).max(1e12),
    section: z.object({ from: id, to: id }).optional(),
    residualOhm: z.number().min(1000).max(1e13).optional(),
    accuracyShare: z.number().min(0).max(0.2).optional(),
    accuracyV: z.number().min(0).max(50).optional(),
    wetted: z.boolean().optional(),
  }),
  z.object({
    kind: z.literal('known-resistor'),
    higher: z.enum(['negative', 'positive']),
    v1: volts,
    v2: volts,
    v1WithR0: volts,
    r0Ohm: z.number().min(100).max(1e9),
    packV: volts.gt(0).nullable(),
    wetted: z.boolean().optional(),
  }),
  z.object({
    kind: z.literal('tester'),
    tested: TestedPartSchema,
    setV: z.number().min(50).max(5000),
    /** None where the tester was locked out. */
    points: z.array(SeriesPointSchema).max(2000),
    /** The tester met this voltage and gave none of its own. */
    lockedOutV: volts.optional(),
    temperatureC: z.number().min(-40).max(90).nullable(),
    mounted: z.boolean(),
    tester: TesterCurrentSchema.optional(),
    ...clipFields,
  }),
  z.object({ kind: z.literal('limit-voltage'), by: z.enum(['measured', 'working']) }),
  z.object({
    kind: z.literal('seen'),
    module: id,
    evidence: z.enum(EVIDENCE_NAMES as [Evidence, ...Evidence[]]),
    degree: z.enum(DEGREE_NAMES).optional(),
  }),
  z.object({
    kind: z.literal('ways'),
    ways: z.array(way).min(1).max(WAYS_MOST),
    of: z.enum(WAY_KINDS),
    state: z.enum(WAY_STATES),
    part: z.enum(WAY_PARTS).optional(),
    revision: z.string().trim().max(40).optional(),
  }),
  z.object({
    kind: z.literal('outside'),
    modules: z.array(id).min(1).max(200),
    mudMm: z.number().min(0).max(500),
  }),
  z.object({
    kind: z.literal('answer'),
    question: z.enum(FALSE_PASSES.map((f) => f.id) as [FalsePass, ...FalsePass[]]),
    yes: z.boolean(),
  }),
  z.object({ kind: z.literal('fuse'), fuse: z.enum(['main', 'pyro']), ohm: ohm.nullable() }),
  z.object({ kind: z.literal('link'), link: id, open: z.boolean() }),
  z.object({
    kind: z.literal('chassis-voltage'),
    plusMinusV: z.number().min(-2000).max(2000),
    plusChassisV: z.number().min(-2000).max(2000),
    minusChassisV: z.number().min(-2000).max(2000),
  }),
]);

export const NewInsulationSchema = z.object({
  observation: InsulationObservationSchema,
  /** Asked before a test voltage is applied; refused otherwise. */
  managementDisconnected: z.boolean().default(false),
  /** Figures that do not belong together were looked at again and stand. */
  confirmed: z.boolean().default(false),
  supersedes: z.uuid().nullable().default(null),
  reason: z.string().trim().max(500).default(''),
});
export type NewInsulation = z.input<typeof NewInsulationSchema>;

export const InsulationEntrySchema = z.object({
  id: z.uuid(),
  observation: InsulationObservationSchema,
  by: z.string(),
  at: z.string(),
  supersededBy: z.uuid().nullable(),
  reason: z.string(),
});
export type InsulationEntry = z.infer<typeof InsulationEntrySchema>;

/** A test run on an instrument of the workshop. */
export const StreamTestSchema = z.object({
  tested: TestedPartSchema,
  setV: z.number().min(50).max(5000),
  seconds: z.number().min(15).max(660).default(60),
  temperatureC: z.number().min(-40).max(90).nullable(),
  mounted: z.boolean(),
  managementDisconnected: z.boolean().default(false),
  instrumentId: z.uuid(),
  ...clipFields,
  /** Figures that do not belong together were looked at again and stand. */
  confirmed: z.boolean().default(false),
});
export type StreamTest = z.input<typeof StreamTestSchema>;

/** `cellmend insulation --in FILE`: what was observed, and the voltage of every module where it is known. */
export const InsulationFileSchema = z.object({
  observations: z.array(InsulationObservationSchema).max(500),
  moduleV: z.array(z.number().gt(0).max(1500)).max(500).optional(),
});
/** `cellmend split --in FILE`: sections in string order, minutes to open the links between them (null: none). */
export const SplitFileSchema = z
  .object({
    /** Shares or weights; they are scaled to add up to 1. */
    probability: z.array(z.number().min(0).max(1e9)).min(1).max(200),
    linkMin: z.array(z.number().min(0).max(10_000).nullable()),
    testMin: z.number().gt(0).max(1000),
  })
  .refine((s) => s.linkMin.length === s.probability.length - 1, {
    path: ['linkMin'],
    message: 'One link fewer than sections.',
  })
  .refine((s) => s.probability.some((p) => p > 0), {
    path: ['probability'],
    message: 'At least one above zero.',
  });
