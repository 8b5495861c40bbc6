import { z } from 'zod';
import { GloveClassSchema } from './safety';

export const ROLES = ['technician', 'lead', 'viewer'] as const;
export const RoleSchema = z.enum(ROLES);
export const PersonSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  role: RoleSchema,
  hvLevel: z.int(),
  hvUntil: z.string().nullable(),
  hvIssuer: z.string(),
  hvNumber: z.string(),
  /** The level is what they say of themselves: nobody has countersigned it. */
  hvSelfDeclared: z.boolean(),
  gloveClass: GloveClassSchema.nullable(),
  gloveTested: z.string().nullable(),
  /** Works here; who has left stays in the record and signs in no more. */
  active: z.boolean(),
  mayWrite: z.boolean(),
  /** May sign work on high voltage today, and if not, why. */
  maySignHv: z.boolean(),
  hvReason: z.string(),
});
export type Person = z.infer<typeof PersonSchema>;

export const SignInSchema = z.object({
  name: z.string().trim().min(1).max(80),
  password: z.string().min(1).max(200),
});
export const DemoSignInSchema = z.object({ personId: z.uuid() });
export const NewPersonSchema = z.object({
  name: z.string().trim().min(1).max(80),
  password: z.string().min(10, 'At least 10 characters.').max(200),
  role: RoleSchema,
  hvLevel: z.int().min(0).max(3),
  hvUntil: z.iso.date('A date such as 2027-06-30.').nullable(),
  /** Who issued the certificate of that level, and its number. */
  hvIssuer: z.string().trim().max(120).default(''),
  hvNumber: z.string().trim().max(80).default(''),
  gloveClass: GloveClassSchema.nullable().default(null),
  /** Date of the gloves' last electrical test. */
  gloveTested: z.iso.date('A date such as 2026-06-30.').nullable().default(null),
});
export type NewPerson = z.infer<typeof NewPersonSchema>;
export type NewPersonInput = z.input<typeof NewPersonSchema>;
export const FirstLeadSchema = NewPersonSchema.extend({
  workshop: z.string().trim().min(1).max(120).default('The workshop'),
});
export const EditPersonSchema = z
  .object({
    role: RoleSchema,
    hvLevel: z.int().min(0).max(3),
    hvUntil: NewPersonSchema.shape.hvUntil,
    hvIssuer: z.string().trim().max(120),
    hvNumber: z.string().trim().max(80),
    gloveClass: GloveClassSchema.nullable(),
    gloveTested: z.iso.date('A date such as 2026-06-30.').nullable(),
    active: z.boolean(),
  })
  .partial();
/** The certificate that somebody has seen who countersigns a level. */
export const CountersignSchema = z.object({
  hvIssuer: z.string().trim().min(1, 'Who issued the certificate.').max(120),
  hvNumber: z.string().trim().min(1, 'The number of the certificate.').max(80),
});
export const NewPasswordSchema = z.object({
  /** One's own, to change it; a lead leaves it out to give somebody a new one. */
  current: z.string().max(200).optional(),
  password: NewPersonSchema.shape.password,
});
/** A place where somebody is signed in. */
export const SignedInSchema = z.object({
  id: z.string(),
  since: z.string().nullable(),
  device: z.string(),
  /** The one that asks. */
  here: z.boolean(),
});
export type SignedIn = z.infer<typeof SignedInSchema>;

/** How figures are shown and typed here; they are stored in kilometres and degrees Celsius. */
export const UnitsSchema = z.object({
  distance: z.enum(['km', 'mi']),
  temperature: z.enum(['C', 'F']),
  /** As it stands behind an amount; empty for none. */
  currency: z.string().trim().max(8),
  dateOrder: z.enum(['dmy', 'mdy', 'ymd']),
});
export type Units = z.infer<typeof UnitsSchema>;
export const USUAL_UNITS: Units = { distance: 'km', temperature: 'C', currency: '', dateOrder: 'dmy' };

export const SessionSchema = z.object({
  person: PersonSchema.nullable(),
  demo: z.boolean(),
  workshop: z.string(),
  units: UnitsSchema,
  firstLeadNeeded: z.boolean(),
  demoPeople: z.array(PersonSchema),
});
export type Session = z.infer<typeof SessionSchema>;
