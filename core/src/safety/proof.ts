import type { LockoutContext, Proof } from './entry';
import { CLASS_B_V } from './voltageClass';

/** A pack of class A is safe to touch, and can never be made dead: its proof says so. */
export const isClassA = (context: Pick<LockoutContext, 'packV'>): boolean => context.packV <= CLASS_B_V;

/** A known source that proves a meter is a 12 V battery or more; both proofs have to agree. */
const PROOF_LEAST_V = 6;
const PROOF_APART = 0.15;

const pointsOf = (d: Proof): [string, number][] => [
  ['pack + to pack −', d.plusMinusV],
  ['pack + to chassis', d.plusChassisV],
  ['pack − to chassis', d.minusChassisV],
];
const said = (points: [string, number][]): string =>
  points.map(([name, v]) => `${v} V at ${name}`).join(', ');

/**
 * Why a live–dead–live does not prove what the gate asks for; empty if it does. Dead and below 60 V are two things:
 * behind open contactors every point is at or below the threshold; a pack of class A only has to be below 60 V.
 */
export function proofFault(d: Proof, context: Pick<LockoutContext, 'packV' | 'deadV'>): string {
  if (Math.abs(d.meterBeforeV) < PROOF_LEAST_V)
    return `The meter showed ${d.meterBeforeV} V on the known source before: it is not proved. Take a source of at least ${PROOF_LEAST_V} V.`;
  if (
    Math.abs(d.meterAfterV) < PROOF_LEAST_V ||
    Math.abs(d.meterAfterV - d.meterBeforeV) > PROOF_APART * Math.abs(d.meterBeforeV)
  )
    return `The meter showed ${d.meterAfterV} V on the known source afterwards and ${d.meterBeforeV} V before: it may have failed in between. Start again.`;
  const points = pointsOf(d);
  const live = points.filter(([, v]) => Math.abs(v) >= CLASS_B_V);
  if (live.length > 0) return `${said(live)}: not dead. Hands off, and find the source.`;
  if (isClassA(context)) return '';
  const left = points.filter(([, v]) => Math.abs(v) > context.deadV);
  return left.length > 0
    ? `${said(left)}: below ${CLASS_B_V} V, but not dead. Behind open contactors at most ${context.deadV} V is left: wait longer, then find what still feeds it.`
    : '';
}

/** Voltage to chassis that a proof met although it counts: a finding for Insulation. Empty if there is none. */
export function chassisVoltage(d: Proof, deadV: number): string {
  const points = pointsOf(d).filter(([name, v]) => name.endsWith('chassis') && Math.abs(v) > deadV);
  return points.length > 0 ? `${said(points)} although locked out: the pack reaches the chassis.` : '';
}

/** What a proof that counts has shown. */
export const PROOF_KINDS = ['dead', 'below-60'] as const;
export type ProofKind = (typeof PROOF_KINDS)[number];

/** What the gate says of a proof, in the words of pages and sheets. */
export const PROOF_WORDS: Record<ProofKind, { short: string; long: string; more: string }> = {
  dead: {
    short: 'proven dead',
    long: 'Proven dead behind the contactors at all three points. Each half of the pack stays live, and every module always is.',
    more: 'Each half of the pack stays live, and every module always is.',
  },
  'below-60': {
    short: 'below 60 V, still live',
    long: 'Below 60 V, still live: short-circuit and burn hazard. It cannot be made dead; insulated tools, no metal on the body.',
    more: 'Short-circuit and burn hazard. It cannot be made dead; insulated tools, no metal on the body.',
  },
};
