import { CELL_LIMITS, type Pack } from '../pack';
import { bleedDown } from './bleed';
import { CLASS_B_V, gloveClassFor, gloveFault, type GloveClass } from './voltageClass';

/** How a unit came in: a crash or an under-voltage lock has its own evidence to gather first. */
export const LOCKOUT_ROUTES = ['normal', 'crash', 'under-voltage'] as const;
export type LockoutRoute = (typeof LOCKOUT_ROUTES)[number];

export const STEP_IDS = [
  'crash-inspection',
  'pyro-evidence',
  'insulation-evidence',
  'group-voltages',
  'hazards',
  'gloves',
  'barrier',
  'low-voltage',
  'disconnect',
  'wait',
  'live-dead-live',
  'second-person',
] as const;
export type StepId = (typeof STEP_IDS)[number];

/** What a person did at one step. Volts are as typed from the meter. */
export type StepData =
  | { step: 'crash-inspection'; text: string }
  | { step: 'pyro-evidence'; ohm: number | null; text: string }
  | { step: 'insulation-evidence'; ohm: number | null; text: string }
  | { step: 'group-voltages'; lowestV: number }
  | { step: 'hazards' }
  | { step: 'gloves'; gloveClass: GloveClass; testedOn: string; airTest: boolean }
  | { step: 'barrier'; secondPerson: string }
  | { step: 'low-voltage' }
  | { step: 'disconnect'; keptBy: string }
  | {
      step: 'live-dead-live';
      meterBeforeV: number;
      plusMinusV: number;
      plusChassisV: number;
      minusChassisV: number;
      meterAfterV: number;
    }
  | { step: 'second-person' };
export type LockoutEntry = StepData & { atMs: number; by: string };

/** What the procedure is built from: the pack and the workshop's own rules. */
export interface LockoutContext {
  pack: Pack;
  route: LockoutRoute;
  /** Highest voltage the pack may have now, V. */
  packV: number;
  twoPersons: boolean;
  /** Hours after which a proof of absence is proven anew. */
  gateHours: number;
  /** Least wait for the capacitors, minutes; the computed wait counts if it is longer. */
  leastWaitMin: number;
}

export interface Step {
  id: StepId;
  title: string;
  detail: string;
}
export interface StepView extends Step {
  state: 'done' | 'now' | 'later';
  by: string | null;
  atMs: number | null;
}

/** A computed wait is taken half as long again: capacitors and bleeders drift. Common practice, no source. */
const WAIT_MARGIN = 1.5;

/** Seconds to wait after the disconnect is out, and where the figure comes from. */
export function capacitorWait(context: LockoutContext): { waitS: number; computed: boolean; why: string } {
  const { busBleederOhm, busCapacitanceF } = context.pack.profile;
  const least = context.leastWaitMin * 60;
  if (!busBleederOhm || !busCapacitanceF)
    return {
      waitS: least,
      computed: false,
      why: `${context.leastWaitMin} min: the profile holds no bleeder and capacitance.`,
    };
  const { waitS } = bleedDown(context.packV, busBleederOhm, busCapacitanceF);
  const ours = WAIT_MARGIN * waitS;
  return ours > least
    ? { waitS: ours, computed: true, why: `R·C·ln(V/60), half as long again.` }
    : { waitS: least, computed: false, why: `${context.leastWaitMin} min, the workshop’s least.` };
}

/** Most that the bus may still hold, V, some seconds after the disconnect came out. */
export function mayHoldV(context: LockoutContext, sinceS: number): number {
  const { busBleederOhm, busCapacitanceF } = context.pack.profile;
  if (!busBleederOhm || !busCapacitanceF) return context.packV;
  // The margin again: time is taken to pass slower for a bleeder that has drifted.
  return bleedDown(context.packV, busBleederOhm, busCapacitanceF).voltageAt(sinceS / WAIT_MARGIN);
}

/** Highest voltage of a pack by its chemistry, V. */
export const highestPackV = (pack: Pack): number =>
  pack.groups.length * CELL_LIMITS[pack.profile.chemistry].fullV;

/** What is dangerous about this pack as it is, in short lines. */
export function hazardsOf(context: LockoutContext): string[] {
  const { pack, packV, route } = context;
  const lines: string[] = [];
  if (packV > CLASS_B_V)
    lines.push(
      `Up to ${Math.round(packV)} V DC. Each half stays live after the disconnect is out, and every module always is.`,
    );
  else lines.push(`Up to ${Math.round(packV)} V: below ${CLASS_B_V} V, but a short can still burn and weld.`);
  const { busCapacitanceF } = pack.profile;
  if (busCapacitanceF)
    lines.push(`The bus capacitors hold up to ${Math.round(0.5 * busCapacitanceF * packV * packV)} J.`);
  lines.push(
    pack.profile.chemistry === 'nimh'
      ? 'Electrolyte is caustic alkali: it burns skin and eyes.'
      : 'Leaking electrolyte is flammable, its vapour toxic (HF).',
  );
  const mass = pack.modules.reduce((s, m) => s + (m.massKg ?? 0), 0);
  if (mass > 40) lines.push(`Modules alone weigh ${Math.round(mass)} kg: table or lift under it.`);
  if (route === 'crash')
    lines.push(
      'After a crash: hidden damage, a fired pyro fuse, a cell that goes on hours later. Outdoors first.',
    );
  if (route === 'under-voltage')
    lines.push('Over-discharged cells may short when charged. Below the floor they are scrap by default.');
  return lines;
}

/** Steps of the procedure in order. General cautions: the maker's procedure and local codes go beyond them. */
export function lockoutSteps(context: LockoutContext): Step[] {
  const needed = gloveClassFor(context.packV);
  const wait = capacitorWait(context);
  const steps: Step[] = [];
  if (context.route === 'crash')
    steps.push(
      {
        id: 'crash-inspection',
        title: 'Look before touching',
        detail: 'Dents, cracks, leaks, smell, heat, deformed case. Write what is seen.',
      },
      {
        id: 'pyro-evidence',
        title: 'Pyro fuse: continuity as evidence',
        detail: 'Out of circuit. Open means it has fired; it is replaced, never bridged.',
      },
      {
        id: 'insulation-evidence',
        title: 'Insulation as evidence',
        detail:
          'What the vehicle last showed, or both poles to chassis. Crash data stays: it is for those licensed.',
      },
    );
  if (context.route === 'under-voltage')
    steps.push({
      id: 'group-voltages',
      title: 'Lowest group at its terminals',
      detail: `Below ${CELL_LIMITS[context.pack.profile.chemistry].floorV} V lithium is scrap unless a supervised revival is decided.`,
    });
  steps.push(
    { id: 'hazards', title: 'Hazards read', detail: 'What is dangerous about this pack, and who is told.' },
    {
      id: 'gloves',
      title: needed ? `Gloves class ${needed}, tested` : 'Gloves for mechanical work',
      detail:
        'Electrical test within six months, air test now, eye and arc protection, no metal on the body.',
    },
    {
      id: 'barrier',
      title: 'Barrier, second person',
      detail: 'Barrier and sign up; somebody knows, stays in sight and can call for help.',
    },
    {
      id: 'low-voltage',
      title: 'Key away, 12 V off',
      detail: 'Key out and out of range; 12 V negative off and secured.',
    },
    {
      id: 'disconnect',
      title: 'Service disconnect out',
      detail: 'Out, and kept by whoever works: in the pocket or locked away.',
    },
    { id: 'wait', title: 'Wait for the capacitors', detail: wait.why },
    {
      id: 'live-dead-live',
      title: 'Live, dead, live',
      detail: 'Meter proved on a known source, three points below 60 V, meter proved again.',
    },
  );
  if (context.twoPersons)
    steps.push({
      id: 'second-person',
      title: 'Second person signs',
      detail: 'Somebody else who may sign for high voltage has seen the proof.',
    });
  return steps;
}

/** A known source that proves a meter is a 12 V battery or more; both proofs have to agree. */
const PROOF_LEAST_V = 6;
const PROOF_APART = 0.15;

/** Why a live–dead–live does not prove absence of voltage; empty if it does. */
export function proofFault(d: Extract<StepData, { step: 'live-dead-live' }>): string {
  if (Math.abs(d.meterBeforeV) < PROOF_LEAST_V)
    return `The meter showed ${d.meterBeforeV} V on the known source before: it is not proved. Take a source of at least ${PROOF_LEAST_V} V.`;
  if (
    Math.abs(d.meterAfterV) < PROOF_LEAST_V ||
    Math.abs(d.meterAfterV - d.meterBeforeV) > PROOF_APART * Math.abs(d.meterBeforeV)
  )
    return `The meter showed ${d.meterAfterV} V on the known source afterwards and ${d.meterBeforeV} V before: it may have failed in between. Start again.`;
  const points: [string, number][] = [
    ['pack + to pack −', d.plusMinusV],
    ['pack + to chassis', d.plusChassisV],
    ['pack − to chassis', d.minusChassisV],
  ];
  const live = points.filter(([, v]) => Math.abs(v) >= CLASS_B_V);
  return live.length > 0
    ? `${live.map(([name, v]) => `${v} V at ${name}`).join(', ')}: not dead. Hands off, and find the source.`
    : '';
}

export interface LockoutState {
  steps: StepView[];
  /** The next step to do; null when all are done. */
  next: StepId | null;
  waitEndsMs: number | null;
  provenMs: number | null;
  /** Proven absence holds until then. */
  holdsUntilMs: number | null;
  holds: boolean;
  why: string;
}

/** Where a lock-out stands at a moment, from what was entered since it was begun. */
export function lockoutState(
  context: LockoutContext,
  entries: readonly LockoutEntry[],
  nowMs: number,
): LockoutState {
  const newest = new Map<StepId, LockoutEntry>();
  for (const e of entries) newest.set(e.step, e);
  const out = newest.get('disconnect');
  const waitEndsMs = out ? out.atMs + capacitorWait(context).waitS * 1000 : null;
  const proof = newest.get('live-dead-live');
  // A proof counts after the wait that belongs to the newest disconnect, a second signature after the newest proof.
  const proven =
    proof?.step === 'live-dead-live' &&
    proofFault(proof) === '' &&
    waitEndsMs !== null &&
    proof.atMs >= waitEndsMs
      ? proof
      : null;
  const second = newest.get('second-person');
  const done = (id: StepId): boolean =>
    id === 'wait'
      ? waitEndsMs !== null && nowMs >= waitEndsMs
      : id === 'live-dead-live'
        ? proven !== null
        : id === 'second-person'
          ? proven !== null && second !== undefined && second.atMs >= proven.atMs && second.by !== proven.by
          : newest.has(id);
  const steps = lockoutSteps(context);
  let reached = true;
  const views = steps.map((s): StepView => {
    const ok = reached && done(s.id);
    const state = ok ? 'done' : reached ? 'now' : 'later';
    if (!ok) reached = false;
    const entry = newest.get(s.id);
    return {
      ...s,
      state,
      by: ok ? (entry?.by ?? null) : null,
      atMs: ok ? (entry?.atMs ?? waitEndsMs) : null,
    };
  });
  const next = views.find((v) => v.state === 'now')?.id ?? null;
  const holdsUntilMs = proven ? proven.atMs + context.gateHours * 3600_000 : null;
  const stale = holdsUntilMs !== null && nowMs > holdsUntilMs;
  const holds = next === null && !stale;
  return {
    steps: views,
    next,
    waitEndsMs,
    provenMs: proven?.atMs ?? null,
    holdsUntilMs,
    holds,
    why: holds
      ? ''
      : stale
        ? `Proven more than ${context.gateHours} hours ago: prove it again.`
        : `Next: ${views.find((v) => v.state === 'now')!.title}.`,
  };
}

/**
 * Why an entry cannot be taken now; empty if it can. Steps go in order, the wait cannot be shortened, and the second
 * signature is by somebody else.
 */
export function entryFault(
  context: LockoutContext,
  entries: readonly LockoutEntry[],
  entry: LockoutEntry,
  today: string,
): string {
  const state = lockoutState(context, entries, entry.atMs);
  const order = state.steps.map((s) => s.id);
  const at = order.indexOf(entry.step);
  if (at < 0) return 'This step is not part of the procedure for this unit.';
  const next = state.next === null ? order.length : order.indexOf(state.next);
  if (at > next) {
    if (state.next === 'wait')
      return `The capacitors may still hold ${Math.round(mayHoldV(context, (entry.atMs - (state.waitEndsMs ?? entry.atMs)) / 1000 + capacitorWait(context).waitS))} V. Wait until the clock ends.`;
    return `First: ${state.steps[next]!.title}.`;
  }
  switch (entry.step) {
    case 'gloves': {
      if (!entry.airTest && gloveClassFor(context.packV))
        return 'The air test is made at each use, before the gloves go on.';
      return gloveFault(entry, context.packV, today);
    }
    case 'barrier':
      return entry.secondPerson.trim() === '' ? 'Say who knows and stays in sight.' : '';
    case 'disconnect':
      return entry.keptBy.trim() === '' ? 'Say who keeps the service disconnect.' : '';
    case 'second-person':
      return entries.some((e) => e.step === 'live-dead-live' && e.by === entry.by)
        ? 'The second signature is by somebody else than who measured.'
        : '';
    case 'crash-inspection':
      return entry.text.trim() === '' ? 'Write what is seen.' : '';
    case 'pyro-evidence':
    case 'insulation-evidence':
      return entry.ohm === null && entry.text.trim() === '' ? 'A reading in ohms, or why there is none.' : '';
    default:
      return '';
  }
}
