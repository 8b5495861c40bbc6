import { FALSE_PASSES, LEAK_CAUSES, WAY_KINDS, type FalsePass } from '@cellmend/core/insulation';
import { z } from 'zod';
import { EntrySchema } from '../pack';
import { IntervalSchema, fraction, index } from './common';

/** A way of the profile, or one that was seen and has no place on its map. */
const WaySchema = EntrySchema.extend({
  kind: z.enum(WAY_KINDS),
  place: EntrySchema.shape.place.nullable(),
});
const interval = IntervalSchema.nullable();
const LocationSchema = z.object({
  equivalentOhm: IntervalSchema,
  leakOhm: IntervalSchema,
  fraction: IntervalSchema,
  apparent: IntervalSchema,
  identifiable: z.boolean(),
  chassisV: z.number(),
  remarks: z.array(z.string()),
});
const JudgedSchema = z.object({
  by: z.enum(['measured', 'working']),
  voltageV: z.number(),
  ohmPerV: z.number(),
  leastOhmPerV: z.number(),
  leastOhm: z.number(),
  verdict: z.enum(['within', 'below', 'uncertain']),
  rule: z.string(),
});
const against = z.enum(['above', 'below']).nullable();
const SeriesResultSchema = z.object({
  verdict: z.enum(['pass', 'leak', 'doubtful', 'not valid']),
  ohm: z.number().nullable(),
  ohmAt40C: z.number().nullable(),
  atLeast: z.boolean(),
  against: z.object({ asMeasured: against, at40C: against, counts: z.string() }),
  bound: z.object({ low: z.number(), high: z.number() }).nullable(),
  reachedV: z.number().nullable(),
  dar: z.number().nullable(),
  pi: z.number().nullable(),
  rising: z.boolean().nullable(),
  leastOhm: z.number(),
  reasons: z.array(z.string()),
});
const TestRowSchema = z.object({
  label: z.string(),
  part: z.enum(['section', 'except', 'inside', 'other', 'vehicle', 'pack']),
  /** −1 for what is no module. */
  from: z.int(),
  to: z.int(),
  reached: z.array(index).optional(),
  mayReach: z.array(index).optional(),
  index: index.optional(),
  terminals: z.enum(['negative', 'positive', 'both']).nullish(),
  contactProven: z.boolean().nullish(),
  wetted: z.boolean().optional(),
  mounted: z.boolean(),
  setV: z.number(),
  points: z.array(
    z.object({
      timeS: z.number(),
      ohm: z.number().nullable(),
      voltageV: z.number().nullable(),
      atLeast: z.boolean().optional(),
    }),
  ),
  result: SeriesResultSchema,
  query: z.string(),
  lacks: z.string().optional(),
});
const ExpectedSchema = z.object({ tests: z.number(), minutes: z.number() });
const SplitSchema = z.object({
  modules: z.tuple([z.string(), z.string()]),
  opens: z.array(z.string()),
  minutes: z.number(),
  expected: ExpectedSchema,
});
const falsePass = z.enum(FALSE_PASSES.map((f) => f.id) as [FalsePass, ...FalsePass[]]);

/** What is known of a leak: `InsulationReport`, field by field. */
export const InsulationReportSchema = z.object({
  packV: z.number(),
  vehicle: z.object({ state: z.enum(['good', 'warns', 'stops']), text: z.string() }).nullable(),
  location: LocationSchema.nullable(),
  known: z
    .object({
      regulationOhm: IntervalSchema,
      printedOhm: z.number(),
      leakOhm: z.number(),
      fractionFromV1: z.number(),
      remarks: z.array(z.string()),
    })
    .nullable(),
  leakOhm: interval,
  sizes: z
    .object({
      size: IntervalSchema,
      sources: z.array(
        z.object({
          from: z.enum(['the vehicle', 'two voltages', 'the known resistor', 'the tester']),
          size: IntervalSchema,
        }),
      ),
      agree: z.boolean(),
    })
    .nullable(),
  regulationOhm: interval,
  judged: JudgedSchema.nullable(),
  judgedElse: JudgedSchema.nullable(),
  tests: z.array(TestRowSchema),
  parts: z.array(
    z.object({
      label: z.string(),
      from: index,
      to: index,
      location: LocationSchema,
      outcome: z.enum(['leak', 'pass', 'doubtful']),
    }),
  ),
  jotted: z
    .array(
      z.object({
        module: z.string(),
        pole: z.enum(['positive', 'negative']).optional(),
        ohm: z.number().nullable(),
        atLeast: z.boolean().optional(),
        ofPartBefore: z.boolean().optional(),
        low: z.boolean(),
        says: z.string(),
      }),
    )
    .optional(),
  modules: z.array(
    z.object({
      moduleIndex: index,
      probability: fraction,
      state: z.enum(['clean', 'so far', 'leak', 'suspect', 'not split']),
      ohm: z.number().nullable(),
      atLeast: z.boolean().optional(),
    }),
  ),
  vehicleSide: z.object({ probability: fraction, state: z.enum(['open', 'clean', 'leak']) }),
  trust: z.object({ ok: z.boolean(), why: z.string() }),
  title: z.string(),
  text: z.string(),
  suspected: z.boolean().optional(),
  found: z.string().nullable(),
  more: z.string().optional(),
  odd: z.array(z.object({ label: z.string(), moduleOhm: z.number(), says: z.string() })).optional(),
  wetTest: z.string().optional(),
  next: z.object({
    kind: z.enum(['poles', 'sides', 'split', 'found', 'nothing']),
    text: z.string(),
    split: SplitSchema.nullable(),
    others: z.array(SplitSchema),
    halving: ExpectedSchema.nullable(),
    oneByOne: ExpectedSchema.nullable(),
  }),
  chassis: z.string(),
  contradiction: z.string(),
  falsePasses: z.array(
    z.object({ id: falsePass, question: z.string(), trap: z.string(), yes: z.boolean().nullable() }),
  ),
  causes: z.array(z.object({ cause: z.enum(LEAK_CAUSES), share: z.number(), because: z.array(z.string()) })),
  entry: z.string().nullable(),
  ways: z
    .object({
      rows: z.array(z.object({ entry: WaySchema, share: z.number(), because: z.array(z.string()) })),
      elsewhere: z.number(),
    })
    .nullish(),
  outside: z
    .object({
      bays: z.array(z.object({ module: z.string(), mudMm: z.number(), wet: z.boolean().nullable() })),
      says: z.string(),
    })
    .optional(),
  fuses: z.array(
    z.object({
      fuse: z.enum(['main', 'pyro']),
      evidence: z.object({
        state: z.enum(['closed', 'open', 'doubtful']),
        meaning: z.string(),
        next: z.string(),
      }),
    }),
  ),
  openLinks: z.array(z.string()),
  coverage: z
    .object({
      tests: z.array(
        z.object({
          index,
          label: z.string(),
          reached: z.array(z.string()),
          valid: z.boolean(),
          why: z.array(z.string()),
        }),
      ),
      proven: z.array(z.string()),
      missing: z.array(z.string()),
      complete: z.boolean(),
      caseParts: z.object({ proven: z.array(z.string()), missing: z.array(z.string()) }).optional(),
    })
    .optional(),
  passesNow: z
    .array(
      z.object({
        module: z.string(),
        state: z.enum(['open', 'not trusted', 'cleared']),
        ask: z.array(falsePass),
        against: z.array(falsePass),
      }),
    )
    .optional(),
  other: z.object({ state: z.enum(['dry', 'wet']), title: z.string(), text: z.string() }).nullish(),
  before: z.object({ title: z.string(), gone: z.array(z.string()) }).nullish(),
});
