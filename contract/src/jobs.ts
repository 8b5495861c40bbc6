import { CHECK_IDS, ENDING_IDS, EVIDENCE_IDS, STAGES, STAGE_STATES } from '@cellmend/core/route';
import { PROOF_IDS } from '@cellmend/core/prove';
import { z } from 'zod';
import { DecisionSchema, MeasureSchema, WarrantySchema } from './decisions';
import { PackProfileSchema } from './pack';
import { GateSchema } from './safety';
import { FileFormatSchema } from './scans';

export const StageSchema = z.enum(STAGES);
export const StageStateSchema = z.object({ state: z.enum(STAGE_STATES), note: z.string() });

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
  /** When it was made: by the file's own clock, or as somebody said; null where nobody knows. */
  startedAt: z.string().nullable(),
  /** Who said when it was made, where it is not the file's own clock. */
  momentBy: z.string().optional(),
  format: FileFormatSchema,
});
export type ScanSummary = z.infer<typeof ScanSummarySchema>;

/** One thing that a measure asks for. */
export const StepSchema = z.object({
  evidence: z.enum(EVIDENCE_IDS),
  stage: StageSchema,
  measures: z.array(z.string()),
  place: z.string(),
  need: z.string(),
  says: z.string(),
  met: z.boolean(),
  failed: z.boolean(),
  waitsFor: z.string(),
});
/** What somebody looks at and records: steps of the work, and what proves it. */
export const CheckIdSchema = z.enum([...CHECK_IDS, ...PROOF_IDS]);
export type CheckId = z.infer<typeof CheckIdSchema>;
/** One thing that proves this repair, and whether it was seen. */
export const ProofSchema = z.object({
  id: z.enum(PROOF_IDS),
  place: z.string(),
  need: z.string(),
  asks: z.string(),
  how: z.string(),
  unit: z.string(),
  state: z.enum(['pass', 'hold', 'fail', 'open']),
  says: z.string(),
});

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
  next: z.object({ need: z.string(), detail: z.string(), stage: StageSchema }),
  /** Everything the measures ask for, in the order it is worked. */
  steps: z.array(StepSchema),
  /** Why a job that was handed over is open again and not decided anew; empty if it is not. */
  reopened: z.string(),
  /** What was signed and is not borne out by what is on record. */
  contradictions: z.array(z.string()),
  /** For each ending why the job may not end so; empty where it may. */
  endings: z.record(z.enum(ENDING_IDS), z.array(z.string())),
  /** The list that follows from the findings, for a person to change. */
  proposed: z.array(MeasureSchema.omit({ id: true })),
  /** Modules that failed by what was found, whatever else this workshop's school changes with them. */
  failed: z.array(z.string()),
  vehicle: z.object({ id: z.uuid(), name: z.string(), plate: z.string().nullable() }).nullable(),
  physicalPack: z.object({ id: z.uuid(), label: z.string() }),
  /** Parts that were placed into this pack, by their places; a place without one has the part it came with. */
  composition: z.array(
    z.object({
      place: z.string(),
      partId: z.uuid(),
      label: z.string(),
      at: z.string(),
      here: z.boolean(),
      /** What of it is not like the pack's own, and why it went in all the same; empty where nothing is. */
      differs: z.string(),
      by: z.string(),
      /** Charge that was put into it to level it, A·h, as it was told last; taken out is negative. */
      moved: z.object({ ah: z.number(), by: z.string(), at: z.string() }).nullable(),
    }),
  ),
  /** Jobs of this pack or its vehicle before this one, newest first. */
  earlier: z.array(
    z.object({
      number: z.int(),
      title: z.string(),
      openedAt: z.string(),
      /** In words; null while it is open. */
      ending: z.string().nullable(),
      endedAt: z.string().nullable(),
      odometerKm: z.number().nullable(),
      /** What it put into this pack. */
      parts: z.array(z.object({ place: z.string(), label: z.string() })),
      /** What it was given on its sheet. */
      warranty: WarrantySchema.nullable().optional(),
    }),
  ),
  /** Parts that this job took out of the pack, and where each went. */
  removed: z.array(
    z.object({
      label: z.string(),
      place: z.string(),
      to: z.string(),
      reason: z.string(),
      proof: z.string(),
      at: z.string(),
      /** Since when it stood there; null for what the pack came with. */
      since: z.string().nullable(),
    }),
  ),
  /** What proves the repair by what was wrong; empty while nothing is signed, or nothing is repaired. */
  proofs: z.array(ProofSchema),
  /** Whoever signed something of this job or proved its pack dead, and by what qualification. */
  signers: z.array(
    z.object({
      name: z.string(),
      level: z.int(),
      until: z.string().nullable(),
      certificate: z.string(),
      selfDeclared: z.boolean(),
    }),
  ),
  gate: GateSchema,
  demoFiles: z.array(z.string()),
});
export type Job = z.infer<typeof JobSchema>;
export const NewJobSchema = z
  .object({
    title: z.string().trim().min(1).max(120),
    complaint: z.string().trim().max(2000).default(''),
    /** The vehicle it is about: one that was here before, or a new one by its plate or fleet number. */
    vehicleId: z.uuid().nullable().default(null),
    plate: z.string().trim().max(40).default(''),
    /** A pack that was here before; else a new one of this profile. */
    packId: z.uuid().nullable().default(null),
    packProfileId: z.uuid().nullable().default(null),
  })
  .refine((j) => j.packId !== null || j.packProfileId !== null, {
    path: ['packProfileId'],
    message: 'A pack that was here before, or the profile of a new one.',
  });
export type NewJob = z.input<typeof NewJobSchema>;

/** A vehicle with its packs and jobs over the years. */
export const VehicleSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  plate: z.string().nullable(),
  packs: z.array(
    z.object({ id: z.uuid(), label: z.string(), profile: z.string(), profileId: z.uuid(), now: z.boolean() }),
  ),
  odometer: z.array(z.object({ at: z.string(), km: z.number(), job: z.int() })),
  jobs: z.array(
    z.object({ number: z.int(), title: z.string(), openedAt: z.string(), ending: z.string().nullable() }),
  ),
});
export type Vehicle = z.infer<typeof VehicleSchema>;

/** What a vehicle is called and known by; corrected with a reason, and the one before stays on the record. */
export const VehicleFactsSchema = z.object({
  name: z.string().trim().min(1).max(120),
  plate: z.string().trim().max(40),
  reason: z.string().trim().min(1).max(400),
});
const figure = z.object({ value: z.number(), low: z.number(), high: z.number() }).nullable();
/** One vehicle over the years: what each job measured of it. */
export const VehicleHistorySchema = z.object({
  vehicle: VehicleSchema,
  measured: z.array(
    z.object({
      job: z.int(),
      at: z.string(),
      role: z.enum(['before', 'after']),
      packLabel: z.string(),
      odometerKm: z.number().nullable(),
      /** Null where the record did not measure it. */
      capacityAh: figure,
      healthFraction: figure,
      deltaNearFullMv: z.number().nullable(),
      deltaNearEmptyMv: z.number().nullable(),
      headline: z.string(),
    }),
  ),
  corrections: z.array(z.object({ at: z.string(), by: z.string(), says: z.string() })),
  /** Parts that went into its packs or came out of them, newest first, and where each is now. */
  parts: z.array(
    z.object({
      label: z.string(),
      place: z.string(),
      pack: z.string(),
      /** When and in which job it went in; null for what the pack came with. */
      in: z.object({ at: z.string(), job: z.int() }).nullable(),
      differs: z.string(),
      /** When and in which job it came out; null while it stands there. */
      out: z.object({ at: z.string(), job: z.int().nullable() }).nullable(),
      /** Where it is now: `scrapped: dead (recycler, note 4711)`. */
      now: z.string(),
    }),
  ),
});
export type VehicleHistory = z.infer<typeof VehicleHistorySchema>;

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
  /** What instruments do for it now; null where nothing of it is on the bench. */
  bench: z
    .object({
      on: z.int(),
      waits: z.int(),
      overAt: z.string().nullable(),
      /** The warmest of what runs, °C; null where none shows a temperature. */
      warmest: z.object({ place: z.string(), c: z.number() }).nullable(),
    })
    .nullable(),
  tiles: z.array(z.object({ tier: z.int(), row: z.int(), column: z.int() })),
});
export type BoardRow = z.infer<typeof BoardRowSchema>;
export const BoardSchema = z.object({ rows: z.array(BoardRowSchema) });
