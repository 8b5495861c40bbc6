import { z } from 'zod';
import { PartAgeSchema } from '../stock';
import { MeasuredSchema, chemistry } from './common';

const number = z.number().nullable();

/** How a donor stands against a place: `MatchRow`, field by field. */
export const MatchRowSchema = z.object({
  donor: z.object({
    id: z.string(),
    label: z.string(),
    chemistry,
    groupCount: z.int().positive(),
    revision: z.string().optional(),
    capacityAh: number,
    resistanceMilliohm: number,
    restVoltageV: number,
    temperatureC: number,
    insulationOhm: z.number().nullish(),
    cellsParallel: z.number().optional(),
    connector: z.string().optional(),
    handedness: z.enum(['left', 'right', 'either']).optional(),
    coolantSide: z.enum(['left', 'right', 'below', 'none']).optional(),
    history: z.enum(['clean', 'wet', 'crashed']).optional(),
    origin: z.string(),
    taken: PartAgeSchema.shape.taken.optional(),
    wetSince: PartAgeSchema.shape.wetSince,
  }),
  fits: z.boolean(),
  obstacles: z.array(z.string()),
  capacityDeviation: number,
  resistanceDeviation: number,
  socFraction: number,
  voltageDeviationMv: number,
  balanceAh: number,
  usableAh: MeasuredSchema,
  distance: z.number(),
  remarks: z.array(z.string()),
});

/** How a newcomer is brought level: `BalancePlan`, field by field. */
export const BalancePlanSchema = z.object({
  direction: z.enum(['charge', 'discharge', 'none']),
  socNow: z.number(),
  socTarget: z.number(),
  chargeAh: z.number().nonnegative(),
  atMost: z.boolean(),
  chargeHalfWidthAh: z.number(),
  targetModuleV: z.number(),
  hours: z.number(),
  bleederHours: z.number(),
  bleederBurns: z.enum(['the newcomer', 'all the others']),
  supplyLimitV: z.number(),
  remarks: z.array(z.string()),
});

/** A pack before and after: `Comparison`, field by field. */
export const ComparisonSchema = z.object({
  ends: z.array(
    z.object({
      end: z.enum(['near full', 'near empty']),
      beforeMv: number,
      afterMv: number,
      beforeSoc: number,
      afterSoc: number,
      better: z.boolean().nullable(),
    }),
  ),
  replacedNearEmptyMv: number,
  replacedMeaning: z.string().nullable(),
  newcomers: z
    .array(
      z.object({
        module: z.string(),
        nearFullMv: number,
        nearEmptyMv: number,
        holds: z.enum(['more', 'less']).nullable(),
        ratio: MeasuredSchema,
        capacityAh: MeasuredSchema,
        says: z.string(),
      }),
    )
    .optional(),
  stillOdd: z.array(z.string()),
  passed: z.boolean(),
  verdict: z.string(),
  readsWithinMv: z.number().optional(),
  span: z.object({ fromSoc: z.number(), toSoc: z.number(), still: z.string() }).optional(),
  sag: z
    .object({
      currentA: z.number(),
      lastedS: z.number(),
      rows: z.array(
        z.object({
          of: z.string(),
          seenMv: z.number(),
          expectedMv: z.object({ low: z.number(), high: z.number() }),
          off: z.enum(['more', 'less']).nullable(),
        }),
      ),
      says: z.string(),
    })
    .nullish(),
});
