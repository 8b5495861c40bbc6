import {
  BUILD_KINDS,
  CHEMISTRIES,
  ENTRY_KINDS,
  LIMIT_KEYS,
  modernProfile,
  type PackProfile,
} from '@cellmend/core/pack';
import { z } from 'zod';

const id = z.string().trim().min(1).max(40);
const short = z.string().trim().min(1).max(120);
const finite = z.number().refine(Number.isFinite, 'A finite number.');

export const PlaceSchema = z.object({
  tier: z.int().min(0).max(9),
  row: z.int().min(0).max(99),
  column: z.int().min(0).max(19),
});
export const LinkSchema = z.object({
  id,
  between: z.tuple([id, id]),
  kind: z.enum(['busbar', 'cable', 'service-disconnect']),
  accessMin: finite.min(0).max(10000).optional(),
  after: z.array(id).max(50).optional(),
});
export const BuildPartSchema = z.object({
  id,
  kind: z.enum(BUILD_KINDS),
  name: z.string().trim().max(120).optional(),
  minutes: finite.min(0).max(1440),
  tool: z.string().trim().min(1).max(60).optional(),
  massKg: finite.gt(0).max(5000).optional(),
  after: z.array(z.array(id).max(60)).max(8).optional(),
  singleUse: z.array(short).max(20).optional(),
  torqueNm: finite.gt(0).max(1000).optional(),
  caution: z.string().trim().max(300).optional(),
  stages: z.array(short).min(1).max(4).optional(),
  over: z.array(id).min(1).max(500).optional(),
});
export const EntrySchema = z.object({ id, kind: z.enum(ENTRY_KINDS), place: PlaceSchema });
const mm = finite.gt(0).max(20_000);
export const PackBodySchema = z.object({
  massKg: finite.gt(0).max(5000).optional(),
  sizeMm: z.tuple([mm, mm, mm]).optional(),
  lifting: z.string().trim().max(500).optional(),
  before: z.array(short).max(40).optional(),
});
export const LimitSchema = z.object({
  key: z.enum([...LIMIT_KEYS, 'other']),
  name: z.string().trim().max(120).optional(),
  value: z.number({ error: 'The figure of a limit is missing.' }),
  unit: z.string().max(20),
  source: short,
  mark: z.enum(['P', 'T', 'M', 'maker']),
});

/** `pack.json`: what is known of a pack. Only the first block is required. */
export const PackProfileSchema: z.ZodType<PackProfile> = z.object({
  name: short,
  chemistry: z.enum(CHEMISTRIES),
  ratedCapacityAh: finite.gt(0).max(10000),
  channels: z
    .array(z.object({ id, cells: z.int().min(1).max(40), reportedAs: id.optional() }))
    .min(1)
    .max(1000),
  modules: z
    .array(
      z.object({
        id,
        channels: z.array(id).optional(),
        groups: z.array(z.string().max(60)).optional(),
        place: PlaceSchema.optional(),
        massKg: finite.gt(0).max(5000).optional(),
      }),
    )
    .min(1)
    .max(500),
  nominalGroupResistanceMilliohm: finite.gt(0).max(10000),
  ocv: z
    .array(z.tuple([finite.min(0).max(1), finite.min(0).max(6)]))
    .min(2)
    .max(2000),
  ocvSource: z.string().max(300).optional(),
  tiers: z.array(z.string().max(60)).max(10).optional(),
  links: z.array(LinkSchema).max(600).optional(),
  boards: z
    .array(z.object({ id, channels: z.array(id).min(1).max(1000) }))
    .max(300)
    .optional(),
  build: z.array(BuildPartSchema).max(400).optional(),
  entries: z.array(EntrySchema).max(60).optional(),
  body: PackBodySchema.optional(),
  limits: z.array(LimitSchema).max(50).optional(),
  ratedRangeKm: finite.gt(0).max(5000).optional(),
  bleederMilliamp: finite.gt(0).max(5000).optional(),
  busCapacitanceF: finite.gt(0).max(10).optional(),
  busBleederOhm: finite.gt(0).max(1e8).optional(),
  preChargeOhm: finite.gt(0).max(1e5).optional(),
  acConnected: z.boolean().optional(),
  moduleRevision: z.string().max(40).optional(),
  moduleLook: z
    .object({
      cellsParallel: z.int().min(1).max(400).optional(),
      connector: z.string().trim().max(80).optional(),
      handedness: z.enum(['left', 'right', 'either']).optional(),
      coolantSide: z.enum(['left', 'right', 'below', 'none']).optional(),
    })
    .optional(),
});

/** Reads a profile from a file or an older page: limits that had only a name get their key first. */
export const readPackProfile = (input: unknown): z.ZodSafeParseResult<PackProfile> =>
  PackProfileSchema.safeParse(modernProfile(input));

/** A stored profile with the version an edit starts from. */
export const StoredProfileSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  version: z.int(),
  updatedAt: z.string(),
  jobs: z.int(),
  profile: PackProfileSchema,
});
export type StoredProfile = z.infer<typeof StoredProfileSchema>;
export const SaveProfileSchema = z.object({
  profile: PackProfileSchema,
  baseVersion: z.int().min(0).max(100000),
});
