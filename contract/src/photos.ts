import { z } from 'zod';
import { ObservedAtSchema, shown } from './fields';
import { StageSchema } from './jobs';

/** Largest photograph as it comes, bytes. */
export const MOST_PHOTO_BYTES = 8 * 1024 * 1024;

/** Base64 of it, and what stands round it. */
export const MOST_PHOTO_BODY_BYTES = Math.ceil((MOST_PHOTO_BYTES * 4) / 3) + 8192;

/** What is kept of a photograph beside its bytes. */
export const PhotoDataSchema = z.object({
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  widthPx: z.int().min(1).max(4000),
  heightPx: z.int().min(1).max(4000),
  note: z.string().max(500),
});
export type PhotoData = z.infer<typeof PhotoDataSchema>;
/** Says that the photograph it supersedes was taken by mistake: it stays in the record and is shown no more. */
export const NoPhotoSchema = z.object({ note: z.string().max(500) });

export const NewPhotoSchema = z.object({
  /** The file, base64: JPEG, PNG or WebP. */
  image: z.base64('Base64 of the file.').max(Math.ceil((MOST_PHOTO_BYTES * 4) / 3) + 4),
  /** A module, link or other part of the build; empty for the whole pack. */
  place: z.string().trim().max(60).default(''),
  note: shown(500).default(''),
  stage: StageSchema,
  observedAt: ObservedAtSchema,
});
export type NewPhoto = z.input<typeof NewPhotoSchema>;
export const WithdrawPhotoSchema = z.object({ reason: z.string().trim().min(1, 'A few words.').max(500) });

/** A photograph; its picture is at `/photos/{id}`, small at `/photos/{id}/small`. */
export const PhotoSchema = z.object({
  id: z.uuid(),
  place: z.string(),
  note: z.string(),
  stage: StageSchema,
  widthPx: z.int(),
  heightPx: z.int(),
  by: z.string(),
  at: z.string(),
});
export type Photo = z.infer<typeof PhotoSchema>;
