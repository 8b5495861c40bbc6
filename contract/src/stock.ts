import { CHEMISTRIES } from '@cellmend/core/pack';
import { z } from 'zod';

export const PART_KINDS = [
  'module',
  'board',
  'fuse',
  'contactor',
  'disconnect',
  'valve',
  'seal',
  'other',
] as const;
export type PartKind = (typeof PART_KINDS)[number];
export const PLACEMENT_KINDS = [
  'pack',
  'shelf',
  'bench',
  'quarantine',
  'scrapped',
  'returned',
  'sold',
] as const;
export type PlacementKind = (typeof PLACEMENT_KINDS)[number];
/** What a part is, as its label and a look at it tell; measured figures are observations of it. */
export const PartFactsSchema = z.object({
  /** What it is called on a list of parts: `lid seal`. */
  name: z.string().trim().max(80).optional(),
  chemistry: z.enum(CHEMISTRIES).optional(),
  groupCount: z.int().min(1).max(400).optional(),
  /** Maker's revision or connector code. */
  revision: z.string().trim().max(40).optional(),
  /** Cells side by side in a group: same look, different capacity. */
  cellsParallel: z.int().min(1).max(400).optional(),
  connector: z.string().trim().max(80).optional(),
  handedness: z.enum(['left', 'right', 'either']).optional(),
  coolantSide: z.enum(['left', 'right', 'below', 'none']).optional(),
  /** What it has been through; left out where nobody knows. */
  history: z.enum(['clean', 'wet', 'crashed']).optional(),
  origin: z.string().trim().max(300).default(''),
  /** What it cost, or what it is worth, in the workshop's currency. */
  price: z.number().min(0).max(1e7).optional(),
});
export type PartFacts = z.infer<typeof PartFactsSchema>;

const positive = z.number().gt(0).max(1e13);
/** What is measured of a part by itself, each null where nobody measured it. */
export const PartFiguresSchema = z.object({
  capacityAh: positive.max(2000).nullable(),
  /** Of one group, mean. */
  resistanceMilliohm: positive.max(1e6).nullable(),
  restVoltageV: positive.max(1500).nullable(),
  /** At which the rest voltage was taken. */
  temperatureC: z.number().min(-60).max(200).nullable(),
  insulationOhm: positive.nullable(),
});
export type PartFigures = z.infer<typeof PartFiguresSchema>;
const TakenSchema = z.object({ at: z.iso.datetime(), temperatureC: z.number().nullable() }).optional();
/** When each figure of a part was taken, and how warm it was; and since when the part is known to have been wet. */
export const PartAgeSchema = z.object({
  taken: z.object({
    capacityAh: TakenSchema,
    resistanceMilliohm: TakenSchema,
    restVoltageV: TakenSchema,
    insulationOhm: TakenSchema,
  }),
  wetSince: z.iso.datetime().optional(),
});

export const PlacementSchema = z.object({
  kind: z.enum(PLACEMENT_KINDS),
  /** Where in which pack: `M07 of P012`; else empty. */
  where: z.string(),
  reason: z.string(),
  proof: z.string(),
  by: z.string(),
  at: z.string(),
  job: z.int().nullable(),
});
/** A part that is in the workshop: on the shelf, on the bench, in quarantine. */
export const StockPartSchema = z.object({
  id: z.uuid(),
  label: z.string(),
  kind: z.enum(PART_KINDS),
  ...PartFactsSchema.shape,
  ...PartFiguresSchema.shape,
  ...PartAgeSchema.shape,
  place: PlacementSchema,
  reserved: z.object({ job: z.int(), place: z.string() }).nullable(),
});
export type StockPart = z.infer<typeof StockPartSchema>;
/** The whole history of a part. */
export const PartHistorySchema = z.object({
  part: StockPartSchema,
  placements: z.array(PlacementSchema),
  facts: z.array(
    z.object({
      version: z.int(),
      facts: PartFactsSchema,
      reason: z.string(),
      by: z.string(),
      at: z.string(),
    }),
  ),
  /** Of the places it stood at, while it stood there, newest first. */
  photos: z.array(z.uuid()),
  readings: z.array(
    z.object({
      kind: z.string(),
      value: z.number().nullable(),
      unit: z.string(),
      text: z.string(),
      by: z.string(),
      at: z.string(),
      job: z.int().nullable(),
    }),
  ),
});
export type PartHistory = z.infer<typeof PartHistorySchema>;

const LabelSchema = z.string().trim().max(40).default('');
/** A part taken in by hand; without a label it gets the next one. */
export const NewPartSchema = z.object({
  kind: z.enum(PART_KINDS).default('module'),
  label: LabelSchema,
  facts: PartFactsSchema,
  figures: PartFiguresSchema.partial().default({}),
  /** The day on which those figures were measured; null where nobody knows. Left out: now, by whoever takes it in. */
  measuredOn: z.iso.date().nullable().optional(),
});
export type NewPart = z.input<typeof NewPartSchema>;
export const NewPartsSchema = z.object({ parts: z.array(NewPartSchema).min(1).max(500) });
/** A table of parts as text, the first row its heading. */
export const PartTableSchema = z.object({ text: z.string().min(1).max(1_000_000) });
export const CorrectPartSchema = z.object({
  facts: PartFactsSchema,
  reason: z.string().trim().min(3, 'Say why.').max(500),
});
export const MeasurePartSchema = PartFiguresSchema.partial().extend({
  /** Put in since its balancing began, A·h; taken out is negative. It stands beside the voltage of that rest. */
  movedAh: z.number().min(-20_000).max(20_000).nullable().default(null),
});
export type MeasurePart = z.input<typeof MeasurePartSchema>;
const OUT = ['scrapped', 'returned', 'sold'] as const;
const needsProof = (p: { to: PlacementKind; reason: string; proof: string }): boolean =>
  !(OUT as readonly string[]).includes(p.to) || (p.reason !== '' && p.proof !== '');
const PROOF = {
  path: ['proof'],
  message: 'A part that leaves the workshop has a reason and a proof: who took it, by which paper.',
};
const place = {
  to: z.enum(['shelf', 'bench', 'quarantine', ...OUT]),
  reason: z.string().trim().max(500).default(''),
  proof: z.string().trim().max(500).default(''),
};
export const PlacePartSchema = z.object(place).refine(needsProof, PROOF);
/** Puts a part into the pack of a job, and says where the one that was there goes. */
export const FitPartSchema = z.object({
  place: z.string().trim().min(1).max(40),
  partId: z.uuid(),
  /** Where the part that was there goes; null where none was. */
  out: z.object(place).refine(needsProof, PROOF).nullable(),
  /** Why a part that is not like the pack's own goes in all the same; a lead answers for it. */
  exception: z.string().trim().max(500).default(''),
});
export type FitPart = z.input<typeof FitPartSchema>;
/** Modules of a job's pack that leave it and become stock, with all their readings. */
export const SalvageSchema = z
  .object({ ...place, places: z.array(z.string().trim().min(1).max(40)).min(1).max(400) })
  .refine(needsProof, PROOF);
/** A part by what its label says. */
export const PartQuerySchema = z.object({ label: z.string().trim().min(1).max(40) });
