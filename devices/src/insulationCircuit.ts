/**
 * What a simulated insulation tester is clipped to: a string of modules with its faults, hidden from whoever tests. Everything that makes a
 * real tester say the wrong thing is in it: electrolyte that dried, a stud that floats, a link that is out, a module that lies loose,
 * condensation, absorption, residue where a leak was, and a string that holds a voltage of its own.
 */
export interface HiddenCircuit {
  /** Modules of the string, in order; each module's own insulation, Ω. */
  modules: number;
  goodOhm: number;
  /** Voltage of one module, V; 0 where the string holds none. */
  moduleV?: number;
  leaks?: readonly HiddenLeak[];
  /** Positions of the links that are out: link i lies between module i and i + 1. */
  open?: readonly number[];
  /** Positions of modules that lie loose: what leaks to their case by being pressed against it does not. */
  loose?: readonly number[];
  /** Everything is damp. */
  wetted?: boolean;
  /** Film of condensation over each module: its resistance at first, Ω, and how long it takes to dry, s. */
  condensation?: { ohm: number; driesInS: number };
  /** Modules that the lead is on. A stud that floats reaches nothing. */
  clip: readonly number[];
  floating?: boolean;
  /** Most the tester gives, A. */
  limitA?: number;
}

export interface HiddenLeak {
  at: number;
  ohm: number;
  /** Dried electrolyte conducts from this voltage on, or wetted; V. */
  fromV?: number;
  /** Only wetted. */
  wetOnly?: boolean;
  /** Only while the module is pressed against its case. */
  pressedOnly?: boolean;
}

/** How far absorption has to rise, and how fast: from 45 % over half a minute. From memory. */
const ABSORBED_AT_FIRST = 0.45;
const ABSORBS_S = 35;
/** The supply of a usual tester gives about this much before it gives way, A. From memory. */
const LIMIT_A = 0.0034;
/** From this voltage on that it meets, a tester gives none of its own, V. Common practice, no source. */
export const LOCKS_OUT_V = 30;
/** What leads and air leave between clip and chassis, Ω. */
const AIR_OHM = 2e11;

/** Modules that hang on the lead: as far as the first link that is out. */
export function reachedBy({ modules, clip, open = [], floating = false }: HiddenCircuit): number[] {
  if (floating) return [];
  const out = new Set(open);
  const reached = new Set<number>();
  for (const start of clip) {
    let [from, to] = [start, start];
    while (from > 0 && !out.has(from - 1)) from--;
    while (to < modules - 1 && !out.has(to)) to++;
    for (let i = from; i <= to; i++) reached.add(i);
  }
  return [...reached].sort((a, b) => a - b);
}

/** Leaks that conduct at a voltage, among the modules that are reached. */
function conducting(c: HiddenCircuit, reached: readonly number[], voltageV: number): HiddenLeak[] {
  const loose = new Set(c.loose);
  return (c.leaks ?? []).filter(
    (l) =>
      reached.includes(l.at) &&
      (!l.wetOnly || c.wetted) &&
      (l.fromV === undefined || c.wetted || voltageV >= l.fromV) &&
      !(l.pressedOnly && loose.has(l.at)),
  );
}

/**
 * Voltage between clip and chassis before the tester gives any, V: a string that floats has none, one that leaks sits at the place of its leak,
 * weighted by conductance.
 */
export function ownVoltage(c: HiddenCircuit): number {
  const moduleV = c.moduleV ?? 0;
  const reached = reachedBy(c);
  const leaks = conducting(c, reached, moduleV * c.modules);
  if (moduleV === 0 || leaks.length === 0) return 0;
  const g = leaks.reduce((s, l) => s + 1 / l.ohm, 0);
  const at = leaks.reduce((s, l) => s + (l.at + 0.5) / l.ohm, 0) / g;
  // The lead is on the outer end of what it was clipped to.
  const end = c.clip[0] === reached[0] ? reached[0]! : (c.clip.at(-1) ?? 0) + 1;
  return Math.abs(end - at) * moduleV;
}

/**
 * What the tester shows: everything that hangs on its lead, side by side, by Ohm's law, at the voltage that it can hold.
 * @param timeS since the voltage was applied
 */
export function shownBy(c: HiddenCircuit, setV: number, timeS: number): { ohm: number; voltageV: number } {
  const reached = reachedBy(c);
  const absorbed = ABSORBED_AT_FIRST + (1 - ABSORBED_AT_FIRST) * (1 - Math.exp(-timeS / ABSORBS_S));
  const { condensation } = c;
  const film = condensation ? condensation.ohm * Math.exp(timeS / condensation.driesInS) : Infinity;
  const at = (voltageV: number): number => {
    const siemens =
      1 / AIR_OHM +
      reached.length * (1 / (c.goodOhm * absorbed) + 1 / film) +
      conducting(c, reached, voltageV).reduce((s, l) => s + 1 / l.ohm, 0);
    return 1 / siemens;
  };
  const limit = c.limitA ?? LIMIT_A;
  const held = (ohm: number): number => Math.min(setV, limit * ohm);
  // A gap that breaks down pulls the voltage down; it burns on below where it began.
  const ohm = at(setV);
  return { ohm, voltageV: held(ohm) };
}
