import { fullV, limitValue, type Pack } from '../pack';
import { bleedDown } from './bleed';
import { hazardLines, watchPlan, type Hazard } from './hazards';
import { type LockoutContext, type LockoutEntry, type StepId } from './entry';
import { elapsed, type Moment } from './moment';
import { isClassA, proofFault, type ProofKind } from './proof';
import { CLASS_B_V, gloveClassFor, gloveFault } from './voltageClass';

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

const momentOf = (e: LockoutEntry): Moment => ({
  wallMs: e.atMs,
  bootId: e.boot?.id ?? null,
  upS: e.boot?.upS ?? null,
});

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
  const to = (targetV: number): number =>
    bleedDown(context.packV, busBleederOhm, busCapacitanceF, targetV).waitS;
  // Below 60 V with a margin for parts that drift, and down to what counts as dead when they do not.
  const ours = Math.max(WAIT_MARGIN * to(CLASS_B_V), isClassA(context) ? 0 : to(context.deadV));
  return ours > least
    ? { waitS: ours, computed: true, why: `R·C·ln(V/60) half as long again, and R·C·ln(V/${context.deadV}).` }
    : { waitS: least, computed: false, why: `${context.leastWaitMin} min, the workshop’s least.` };
}

/** Most that the bus may still hold, V, some seconds after the disconnect came out. */
export function mayHoldV(context: LockoutContext, sinceS: number): number {
  const { busBleederOhm, busCapacitanceF } = context.pack.profile;
  if (!busBleederOhm || !busCapacitanceF) return context.packV;
  // The margin again: time is taken to pass slower for a bleeder that has drifted.
  return bleedDown(context.packV, busBleederOhm, busCapacitanceF).voltageAt(sinceS / WAIT_MARGIN);
}

/** Highest working voltage of a pack by its profile, V. */
export const highestPackV = (pack: Pack): number => fullV(pack.profile, pack.groups.length);

export const hazardsOf = (context: Pick<LockoutContext, 'pack' | 'packV' | 'hazards'>): string[] =>
  hazardLines(context.pack, context.packV, context.hazards);

/**
 * Steps of the procedure in order, from the set of hazards: look from a distance, decide where it stands, lock out,
 * and only then the evidence that needs touching. General cautions: the maker's procedure and local codes go beyond.
 */
export function lockoutSteps(context: LockoutContext): Step[] {
  const { hazards } = context;
  const has = (h: Hazard): boolean => hazards.includes(h);
  const needed = gloveClassFor(context.packV);
  const wait = capacitorWait(context);
  const classA = isClassA(context);
  const plan = watchPlan(hazards);
  const steps: Step[] = [];
  if (hazards.length > 0)
    steps.push(
      {
        id: 'look',
        title: 'Look from a distance',
        detail: `Smoke, hiss, smell, heat, leaks, a deformed case? ${has('flood') ? 'Water line, salt, bubbles? ' : ''}Nobody touches it yet. Write what is seen.`,
      },
      {
        id: 'quarantine',
        title: 'Where it stands',
        detail: `Outdoors, 10 to 15 m from buildings and vehicles, unless there is a reason it may stay.${plan ? ` Thermal watch: every ${plan.everyMin} min for at least ${plan.leastHours} h.` : ''}`,
      },
    );
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
      title: classA ? 'Meter, three points, meter' : 'Live, dead, live',
      detail: classA
        ? `Meter proved on a known source, three points below ${CLASS_B_V} V, meter proved again. It stays live.`
        : `Meter proved on a known source, three points at or below ${context.deadV} V, meter proved again.`,
    },
  );
  if (context.twoPersons)
    steps.push({
      id: 'second-person',
      title: 'Second person signs',
      detail: 'Somebody else who may sign for high voltage has seen the proof.',
    });
  if (has('crash'))
    steps.push({
      id: 'pyro-evidence',
      title: 'Pyro fuse: continuity as evidence',
      detail: 'Out of circuit. Open means it has fired; it is replaced, never bridged.',
    });
  if (has('crash') || has('flood'))
    steps.push({
      id: 'insulation-evidence',
      title: 'Insulation as evidence',
      detail:
        'What the vehicle last showed, or both poles to chassis. Crash data stays: it is for those licensed.',
    });
  // A crashed pack below 60 V is locked for its voltage as often as for the crash: which group is low is measured.
  if (has('under-voltage') || (has('crash') && classA))
    steps.push({
      id: 'group-voltages',
      title: 'Lowest group, lid still on',
      detail: `As scanned, or at a connector that is reached with the lid on; its terminals come later. Below ${limitValue(context.pack.profile, 'cellFloorV')} V a cell is over-discharged, below ${limitValue(context.pack.profile, 'cellScrapV')} V scrap, unless a supervised recovery is decided.`,
    });
  return steps;
}

export interface LockoutState {
  steps: StepView[];
  /** The next step to do; null when all are done. */
  next: StepId | null;
  /** When the wait ends, by the clock of the moment asked about. */
  waitEndsMs: number | null;
  /** Seconds of it that are left. */
  waitLeftS: number | null;
  provenMs: number | null;
  proof: ProofKind | null;
  /** Proven absence holds until then. */
  holdsUntilMs: number | null;
  holds: boolean;
  why: string;
}

/** Where a lock-out stands at a moment, from what was entered since it was begun, in the order it was entered. */
export function lockoutState(
  context: LockoutContext,
  entries: readonly LockoutEntry[],
  now: Moment,
): LockoutState {
  const newest = new Map<StepId, { entry: LockoutEntry; at: number }>();
  entries.forEach((entry, at) => newest.set(entry.step, { entry, at }));
  const { waitS } = capacitorWait(context);
  const out = newest.get('disconnect');
  const waited = out ? elapsed(momentOf(out.entry), now).leastS : null;
  const waitLeftS = waited === null ? null : Math.max(0, waitS - waited);
  const last = newest.get('live-dead-live');
  // A proof counts after the wait that belongs to the newest disconnect, a second signature after the newest proof.
  const proven =
    last?.entry.step === 'live-dead-live' &&
    proofFault(last.entry, context) === '' &&
    out !== undefined &&
    last.at > out.at &&
    elapsed(momentOf(out.entry), momentOf(last.entry)).leastS >= waitS
      ? last
      : null;
  const second = newest.get('second-person');
  const done = (id: StepId): boolean => {
    const found = newest.get(id)?.entry;
    switch (id) {
      case 'wait':
        return waitLeftS === 0;
      case 'live-dead-live':
        return proven !== null;
      case 'second-person':
        return (
          proven !== null &&
          second !== undefined &&
          second.at > proven.at &&
          second.entry.by !== proven.entry.by
        );
      case 'look':
        return found?.step === 'look' && found.calm;
      // Gloves that were enough for less are not enough once more is known of the pack.
      case 'gloves':
        return found?.step === 'gloves' && gloveFault(found, context.packV, found.testedOn) === '';
      default:
        return found !== undefined;
    }
  };
  const steps = lockoutSteps(context);
  let reached = true;
  const views = steps.map((s): StepView => {
    const ok = reached && done(s.id);
    const state = ok ? 'done' : reached ? 'now' : 'later';
    if (!ok) reached = false;
    const entry = newest.get(s.id)?.entry;
    return {
      ...s,
      state,
      by: ok ? (entry?.by ?? null) : null,
      atMs: ok ? (entry?.atMs ?? null) : null,
    };
  });
  const current = views.find((v) => v.state === 'now');
  const next = current?.id ?? null;
  const since = proven ? elapsed(momentOf(proven.entry), now) : null;
  const holdsUntilMs = proven ? proven.entry.atMs + context.gateHours * 3600_000 : null;
  const stale = since !== null && since.mostS > context.gateHours * 3600;
  const jumped = since !== null && since.jumpS !== 0;
  const holds = next === null && !stale && !jumped;
  return {
    steps: views,
    next,
    waitEndsMs:
      waitLeftS === null
        ? null
        : waitLeftS > 0
          ? now.wallMs + waitLeftS * 1000
          : out!.entry.atMs + waitS * 1000,
    waitLeftS,
    provenMs: proven?.entry.atMs ?? null,
    proof: proven ? (isClassA(context) ? 'below-60' : 'dead') : null,
    holdsUntilMs,
    holds,
    why: holds
      ? ''
      : jumped && next === null
        ? `The clock of this machine was set by ${Math.round(Math.abs(since.jumpS) / 60)} min since the proof: prove it again.`
        : stale && next === null
          ? `Proven more than ${context.gateHours} hours ago: prove it again.`
          : `Next: ${current!.title}.`,
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
  const state = lockoutState(context, entries, momentOf(entry));
  if (entry.step === 'join')
    return entries.some((e) => e.step === 'disconnect')
      ? formFault(context, entries, entry, today)
      : 'First the service disconnect comes out; then others put their tags on.';
  const order = state.steps.map((s) => s.id);
  const at = order.indexOf(entry.step);
  if (at < 0) return 'This step is not part of the procedure for this unit.';
  const next = state.next === null ? order.length : order.indexOf(state.next);
  if (at > next) {
    if (state.next === 'wait') {
      const held = mayHoldV(context, capacitorWait(context).waitS - (state.waitLeftS ?? 0));
      return `The capacitors may still hold ${Math.round(held)} V. Wait until the clock ends.`;
    }
    return `First: ${state.steps[next]!.title}.`;
  }
  return formFault(context, entries, entry, today);
}

/** What is wrong with an entry in itself, whatever its turn. */
export function formFault(
  context: LockoutContext,
  entries: readonly LockoutEntry[],
  entry: LockoutEntry,
  today: string,
): string {
  switch (entry.step) {
    case 'gloves': {
      if (!entry.airTest && gloveClassFor(context.packV))
        return 'The air test is made at each use, before the gloves go on.';
      return gloveFault(entry, context.packV, today);
    }
    case 'join':
      if (!entry.airTest && gloveClassFor(context.packV))
        return 'The air test is made at each use, before the gloves go on.';
      if (entry.tag.trim() === '') return 'Say which key or tag of your own is on the disconnect.';
      return gloveFault(entry, context.packV, today);
    case 'barrier':
      return entry.secondPerson.trim() === '' ? 'Say who knows and stays in sight.' : '';
    case 'disconnect':
      return entry.keptBy.trim() === '' ? 'Say who keeps the service disconnect.' : '';
    case 'second-person':
      return entries.some((e) => e.step === 'live-dead-live' && e.by === entry.by)
        ? 'The second signature is by somebody else than who measured.'
        : '';
    case 'look':
      return entry.text.trim() === '' ? 'Write what is seen.' : '';
    case 'quarantine':
      if (entry.place.trim() === '') return 'Say where it stands.';
      return entry.decision === 'stays' && entry.reason.trim() === ''
        ? 'Say why it may stay: outdoors is the careful choice.'
        : '';
    case 'pyro-evidence':
    case 'insulation-evidence':
      return entry.ohm === null && entry.text.trim() === '' ? 'A reading in ohms, or why there is none.' : '';
    case 'group-voltages':
      return entry.lowestV === null && entry.text.trim() === '' ? 'A voltage, or why there is none.' : '';
    default:
      return '';
  }
}
