import { VOLTAGE_STATES } from '@cellmend/core/pack';
import { PACK_VERDICTS, VERDICTS } from '@cellmend/core/diagnosis';
import { z } from 'zod';
import { EstimatedSchema, MeasuredSchema, fraction, index } from './common';

const verdict = z.enum(VERDICTS);
const SegmentSchema = z.object({
  kind: z.enum(['rest', 'discharge', 'charge']),
  fromS: z.number(),
  toS: z.number(),
  meanCurrentA: z.number(),
  chargeAh: z.number(),
  assumed: z.literal(true).optional(),
  steps: z.number().nonnegative(),
});
const DeviationSchema = z.object({
  channelIndex: index,
  voltageV: z.number().nullable(),
  deviationMv: z.number().nullable(),
  modifiedZ: z.number().nullable(),
  odd: z.boolean(),
  socFraction: z.number().nullable(),
  deltaSocFraction: z.number().nullable(),
  deltaAh: z.number().nullable(),
  deltaSocHalfWidth: z.number().nullable(),
});
const SpreadSchema = z.object({
  timeS: z.number(),
  medianV: z.number(),
  madMv: z.number(),
  minV: z.number(),
  maxV: z.number(),
  minChannelIndex: index,
  maxChannelIndex: index,
  deltaMv: z.number(),
  medianSocFraction: z.number(),
  grade: z.enum(['excellent', 'good', 'limit', 'poor', 'blocks-drive']),
  channels: z.array(DeviationSchema),
  onPlateau: z.boolean(),
});
const TiltEndSchema = z.object({ socFraction: z.number(), deltaSocFraction: z.array(z.number().nullable()) });
const EstimateSchema = z.object({
  deltaSocPct: z.number().optional(),
  deltaSocPctSd: z.number().optional(),
  capacityRatio: z.number().optional(),
  capacityRatioSd: z.number().optional(),
  resistanceRatio: z.number().optional(),
  resistanceRatioSd: z.number().optional(),
  leakageMilliamp: z.number().optional(),
  leakageMilliampSd: z.number().optional(),
  offsetMillivolt: z.number().optional(),
  offsetMillivoltSd: z.number().optional(),
});
const ChannelFindingSchema = z.object({
  channel: z.string(),
  module: z.string(),
  verdict,
  confidence: fraction,
  alternatives: z.array(z.object({ verdict, confidence: fraction })),
  estimate: EstimateSchema,
  reasons: z.array(z.string()),
  detect: z.number(),
  separate: z.number(),
  leftMv: z.number().optional(),
  scatterMv: z.number().optional(),
  films: z
    .array(
      z.object({
        verdict,
        shows: z.array(
          z.object({
            after: z.enum(['charge', 'drive', 'standing']),
            deltaMv: z.tuple([z.number(), z.number()]),
          }),
        ),
      }),
    )
    .optional(),
  onlyWarmC: z.number().optional(),
  pairedWith: z.string().optional(),
  absolute: z.enum(['reversed', 'over-charged']).optional(),
  seat: z.enum(['joint', 'cell']).optional(),
  channelIndex: index,
  costAh: MeasuredSchema,
  costKm: MeasuredSchema,
  consequence: z.string().optional(),
});
const TemperatureSchema = z.object({
  sensors: z.array(z.object({ name: z.string(), firstC: z.number(), lastC: z.number(), mostC: z.number() })),
  widestK: z.number().nullable(),
  hottest: z.string().nullable(),
  medianC: z.number(),
  comparable: z.boolean(),
  odd: z.boolean(),
});

/** What a record shows of the spread of a pack's channels: `SpreadReport`, field by field. */
export const SpreadReportSchema = z.object({
  pack: z.object({ verdict: z.enum(PACK_VERDICTS), reasons: z.array(z.string()) }),
  judged: z.array(z.string()).optional(),
  segments: z.array(SegmentSchema),
  settledV: z.array(z.number().nullable()),
  outOfBounds: z.array(
    z.object({
      channelIndex: index,
      voltageV: z.number(),
      state: z.enum(VOLTAGE_STATES),
      says: z.string(),
    }),
  ),
  nearFull: SpreadSchema.nullable(),
  nearEmpty: SpreadSchema.nullable(),
  tilt: z.object({ from: TiltEndSchema, to: TiltEndSchema }).nullable(),
  findings: z.array(ChannelFindingSchema),
  differences: z
    .array(z.object({ channel: z.string(), module: z.string(), of: verdict, says: z.string() }))
    .optional(),
  channels: z.array(
    z.object({
      channelIndex: index,
      deltaSoc: EstimatedSchema,
      capacityRatio: EstimatedSchema.nullable(),
      resistanceRatio: EstimatedSchema.nullable(),
    }),
  ),
  capacityAh: MeasuredSchema,
  health: MeasuredSchema,
  resistanceMilliohm: MeasuredSchema,
  usableAh: MeasuredSchema,
  usableKm: MeasuredSchema,
  mendedAh: MeasuredSchema,
  mendedKm: MeasuredSchema,
  working: z
    .object({
      capacityAh: z.number(),
      capacitySdAh: z.number(),
      startSocFraction: z.number(),
      endSocFraction: z.number(),
    })
    .nullable(),
  nextTest: z.string(),
  tests: z.array(z.object({ channel: z.string(), text: z.string(), minutes: z.number(), bits: z.number() })),
  temperature: TemperatureSchema.nullable(),
  metered: z.array(z.object({ channelIndex: index, voltageV: z.number() })),
  total: z
    .object({
      packV: z.number(),
      sumV: z.number(),
      missesV: z.number(),
      sdV: z.number(),
      says: z.string(),
    })
    .optional(),
  contradicts: z.array(z.string()).optional(),
  fullLoad: z
    .object({
      fromS: z.number(),
      atS: z.number(),
      currentA: z.number(),
      temperatureC: z.number().nullable(),
      course: z.object({ timeS: z.array(z.number()), currentA: z.array(z.number()) }),
      quietV: z.number(),
      sagV: z.array(z.number().nullable()),
    })
    .nullish(),
  jumps: z.array(z.object({ channelIndex: index, count: z.int(), mostMv: z.number() })).nullish(),
});
