import { CHEMISTRIES } from '@cellmend/core/pack';
import { z } from 'zod';

// Shapes of the questions of the command line, beside those that pages send as well.

const finite = z.number().refine(Number.isFinite, 'A finite number.');
const positive = finite.gt(0);
const ocv = z
  .array(z.tuple([finite.min(0).max(1), finite.min(0).max(10)]))
  .min(2)
  .max(5000);
const many = 1_000_000;
const series = z.array(finite).max(many);
const name = z.string().trim().min(1).max(120);

export const BenchRunSchema = z.object({
  chemistry: z.enum(CHEMISTRIES),
  cellsInSeries: z.int().min(1).max(400),
  cutoffV: positive,
  timeS: series.min(2),
  currentA: series,
  voltageV: series,
  temperatureC: series.optional(),
});

export const HoldTestSchema = z.object({
  chemistry: z.enum(CHEMISTRIES),
  cellsInSeries: z.int().min(1).max(400),
  capacityAh: positive,
  socFraction: finite.min(0).max(1),
  ocvSlopeVPerAh: positive,
  temperatureCoefficientVPerK: finite.nullable(),
  leakLimitMilliamp: positive,
  deadBelowV: finite.min(0),
  suddenDropV: positive,
  timeH: series.min(1),
  voltageV: series.min(1),
  temperatureC: series.min(1),
});

export const ConditionFileSchema = z.object({
  cellsInSeries: z.int().min(1).max(40),
  ratedAh: positive.max(1000),
  sticks: z
    .array(
      z.object({
        id: name,
        history: z
          .array(
            z.object({
              kind: z.enum(['charge', 'discharge', 'rest']),
              hours: positive.max(100_000),
              currentA: finite,
              temperatureC: finite.min(-60).max(150),
              voltageV: series.optional(),
              timeH: series.optional(),
              ah: finite.min(0).optional(),
            }),
          )
          .max(200),
      }),
    )
    .min(1)
    .max(200),
  people: z.int().min(1).max(100),
  runsPerPerson: z.int().min(1).max(100),
  channels: z.int().min(1).max(1000),
  wanted: z.object({ leastAh: positive }),
});

export const MatchFileSchema = z.object({
  candidates: z
    .array(
      z.object({
        id: name,
        capacityAh: finite.min(0),
        resistanceMilliohm: finite.min(0),
        restVoltageV: finite,
      }),
    )
    .max(500),
  positions: z.int().min(1).max(400),
  fixed: z.record(z.string(), name).default({}),
  limits: z
    .object({
      capacityLeastAh: finite.nullish(),
      resistanceMostMilliohm: finite.nullish(),
      restVoltageSpreadMostV: finite.min(0).nullish(),
    })
    .default({}),
  aim: z.enum(['weakest-first', 'alike', 'blocks']),
  tolerance: z.object({ capacityAh: positive, resistanceMilliohm: positive }).optional(),
  blocks: z
    .array(z.array(z.int().min(1)).min(1))
    .max(400)
    .optional(),
  blockQuantity: z.literal('capacityAh').optional(),
});

export const BalanceFileSchema = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('string'),
    ocv,
    capacityAh: z.array(positive).min(1).max(2000),
    groupVoltageV: z.array(finite).min(1).max(2000),
    mode: z.enum(['lowest', 'highest', 'top', 'bottom']),
    currentA: positive,
    bleedOhm: positive.nullable().default(null),
    voltageErrorV: finite.min(0).optional(),
  }),
  z.object({
    kind: z.literal('cc-cv'),
    ocv,
    cellsInSeries: z.int().min(1).max(400),
    capacityAh: positive,
    socStart: finite.min(0).max(1),
    socTarget: finite.min(0).max(1),
    supplyLimitV: positive,
    supplyLimitA: positive,
    leadOhm: finite.min(0),
    internalOhm: finite.min(0),
  }),
  z.object({
    kind: z.literal('parallel'),
    ocv,
    cellsInSeries: z.int().min(1).max(400),
    capacityAh: z.tuple([positive, positive]),
    soc: z.tuple([finite.min(0).max(1), finite.min(0).max(1)]),
    internalOhm: z.tuple([finite.min(0), finite.min(0)]),
    leadOhm: finite.min(0),
    deltaV: positive,
  }),
  z.object({
    kind: z.literal('pre-charge'),
    packV: positive,
    resistorOhm: positive,
    capacitanceF: positive,
    parallelLoadOhm: positive.nullable().default(null),
  }),
  z.object({
    kind: z.literal('bleed-down'),
    startV: positive,
    bleedOhm: positive,
    capacitanceF: positive,
    constantCurrentA: finite.min(0).default(0),
    targetV: positive,
  }),
]);

export const ScheduleFileSchema = z.object({
  channels: z.int().min(0).max(1000),
  powerBudgetKw: finite.min(0),
  persons: z.int().min(0).max(1000),
  holdChannel: z.boolean(),
  gridH: positive,
  workingWindowsH: z.array(z.tuple([finite, finite]).refine(([a, b]) => b >= a, 'from ≤ to.')).max(5000),
  modules: z
    .array(
      z.object({
        id: name,
        releaseH: finite.min(0).default(0),
        steps: z
          .array(
            z.object({
              name,
              hours: finite.min(0).max(10_000),
              powerKw: finite.min(0),
              attended: z.boolean(),
              channel: z.boolean(),
            }),
          )
          .max(100),
      }),
    )
    .max(1000),
});

export const RangeFileSchema = z
  .object({
    groupCapacityAh: z.array(positive).min(1).max(2000),
    groupSoc: z.array(finite.min(0).max(1)).min(1).max(2000),
    socLeast: finite.min(0).max(1),
    socMost: finite.min(0).max(1),
    donors: z
      .array(z.object({ capacityAh: positive, soc: finite.min(0).max(1) }))
      .max(2000)
      .default([]),
  })
  .refine((r) => r.groupCapacityAh.length === r.groupSoc.length, {
    error: 'One state of charge a group.',
    path: ['groupSoc'],
  });

const span = z
  .object({ low: finite, likely: finite, high: finite })
  .refine((s) => s.low <= s.likely && s.likely <= s.high, 'low ≤ likely ≤ high.');
export const OptionsFileSchema = z.object({
  horizonYears: positive,
  distanceKmPerYear: finite.min(0),
  currency: z.string().max(8).default(''),
  draws: z.int().min(1).max(2_000_000).default(20_000),
  seed: z.int().default(1),
  options: z
    .array(
      z.object({
        name,
        cost: span,
        rangeKm: span,
        yearsLeft: span,
        comebackProbability: finite.min(0).max(1),
        comebackCost: span,
      }),
    )
    .min(1)
    .max(50),
});
