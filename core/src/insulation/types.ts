import type { FuseEvidence } from '../safety/fuse';
import type { OutsideDirt, OutsideReport } from './outside';
import type { WaysSeen } from './ways';
import type { CauseRow, Degree, Evidence } from './causes';
import type { EntryRow } from './entries';
import type { KnownResistorResult } from './knownResistor';
import type { Judged, LimitVoltage, VehicleJudged } from './limits';
import type { Interval, LeakLocation } from './location';
import type { FalsePass, SeriesPoint, SeriesResult, TesterCurrent } from './series';
import type { Expected } from './split';

/** Parts that are no modules, in the case and out of it. Common practice, no source. */
export const OTHER_PARTS = {
  'contactor board': { name: 'the contactor board', inCase: true },
  'pack connector': { name: 'the pack connector (contactors open)', inCase: true },
  'pack cables': { name: 'the cables in the case', inCase: true },
  'junction box': { name: 'the junction box', inCase: false },
  'vehicle cables': { name: 'the cables of the vehicle', inCase: false },
  heater: { name: 'the heater', inCase: false },
  compressor: { name: 'the compressor', inCase: false },
  charger: { name: 'the charger', inCase: false },
  'motor side': { name: 'inverter and motor', inCase: false },
} as const;
export type OtherPart = keyof typeof OTHER_PARTS;

/**
 * What was tested: a run of modules in string order, the string without one module that is out, a piece of one module, a part that is no
 * module, everything in the vehicle but the pack, or the whole pack.
 */
export type TestedPart =
  | { part: 'section'; from: string; to: string }
  | { part: 'except'; module: string }
  /** A piece of a module against its case: half of a two-cell housing, one cell, a set inside. */
  | { part: 'inside'; module: string; piece: string }
  | { part: 'other'; which: OtherPart }
  | { part: 'vehicle' }
  | { part: 'pack' };

/** How a tested part is called in a sentence, e.g. `M03 to M06`. */
export function testedLabel(tested: TestedPart): string {
  switch (tested.part) {
    case 'section':
      return tested.from === tested.to ? tested.from : `${tested.from} to ${tested.to}`;
    case 'except':
      return `everything but ${tested.module}`;
    case 'inside':
      return `${tested.module}, ${tested.piece}`;
    case 'other':
      return OTHER_PARTS[tested.which].name;
    case 'vehicle':
      return 'the vehicle side';
    case 'pack':
      return 'the whole pack';
  }
}

/** The pole of the tested part that the lead was on; the other lead is on the chassis. */
export type Terminals = 'negative' | 'positive' | 'both';

/** What had happened just before the vehicle showed its figure. */
export const VEHICLE_AFTER = ['driving', 'standing', 'rain', 'washing'] as const;
export type VehicleAfter = (typeof VEHICLE_AFTER)[number];

/** What people and instruments observed of a leak. */
export type InsulationObservation =
  | {
      kind: 'vehicle';
      ohm: number | null;
      signalV: number | null;
      wetted?: boolean | undefined;
      /** Which pole it is of, where the vehicle tells. */
      pole?: 'positive' | 'negative' | undefined;
      /** When the vehicle showed it, ISO 8601; left out where it was just now. */
      readAt?: string | undefined;
      /** The scan whose column it was; left out where somebody read it. */
      fromScan?: { id: string; name: string } | undefined;
      /** What had happened just before. */
      after?: VehicleAfter | undefined;
      temperatureC?: number | undefined;
    }
  | {
      kind: 'poles';
      side: 'whole' | 'pack' | 'vehicle';
      /** Between its ends, V: of the pack, or of the part that was measured. */
      packV: number;
      negativeV: number;
      positiveV: number;
      meterOhm: number;
      /** Only a part of the string was measured, its links out. */
      section?: { from: string; to: string } | undefined;
      /** Least each pole of this pack shows when healthy, Ω; left out where nobody knows. */
      residualOhm?: number | undefined;
      /** What the meter is good to: share of the reading, and volts of its last digits. */
      accuracyShare?: number | undefined;
      accuracyV?: number | undefined;
      wetted?: boolean | undefined;
    }
  | {
      kind: 'known-resistor';
      higher: 'negative' | 'positive';
      v1: number;
      v2: number;
      v1WithR0: number;
      r0Ohm: number;
      packV: number | null;
      wetted?: boolean | undefined;
    }
  | {
      kind: 'tester';
      tested: TestedPart;
      setV: number;
      points: SeriesPoint[];
      temperatureC: number | null;
      mounted: boolean;
      /** What the tester gives, where it is known. */
      tester?: TesterCurrent | undefined;
      /** The pole of what was tested that the lead was on. */
      terminals?: Terminals | undefined;
      /** The clips were proven to touch metal: on each other, or on a known resistor. Null where nobody said. */
      contactProven?: boolean | null | undefined;
      /** Links that were out, by the record and by who tested; left out where the record alone tells it. */
      openLinks?: string[] | undefined;
      /** After rain, washing or spraying. */
      wetted?: boolean | undefined;
      /** Of the air, %. */
      humidityPercent?: number | null | undefined;
      /** The tester met this voltage and gave none of its own, V. */
      lockedOutV?: number | undefined;
    }
  /** Which voltage the limit in Ω/V is taken by. */
  | { kind: 'limit-voltage'; by: LimitVoltage }
  | { kind: 'seen'; module: string; evidence: Evidence; degree?: Degree | undefined }
  /** Ways in that were looked at, whether or not the profile names them. */
  | ({ kind: 'ways' } & WaysSeen)
  /** Mud outside on the case, by the modules behind it. */
  | ({ kind: 'outside' } & OutsideDirt)
  | { kind: 'answer'; question: FalsePass; yes: boolean }
  | { kind: 'fuse'; fuse: 'main' | 'pyro'; ohm: number | null }
  | { kind: 'link'; link: string; open: boolean }
  /** Left over at a proof of absence, although locked out. */
  | { kind: 'chassis-voltage'; plusMinusV: number; plusChassisV: number; minusChassisV: number };

/** What one source says of the leak's own resistance, Ω. */
export interface SizeSource {
  from: 'the vehicle' | 'two voltages' | 'the known resistor' | 'the tester';
  size: Interval;
}
/** The leak's own resistance by all that measured it. */
export interface MergedSize {
  size: Interval;
  sources: SizeSource[];
  /** False where no one resistance fits them all: another leak, another moment, or a wrong figure. */
  agree: boolean;
}

/** Both ends of a separated part to chassis: half a string with the disconnect out, or any run between open links. */
export interface PartRow {
  /** Positions in the string, inclusive. */
  from: number;
  to: number;
  location: LeakLocation;
  outcome: 'leak' | 'pass' | 'doubtful';
}

export interface TestRow {
  label: string;
  part: TestedPart['part'];
  /** Positions in the string, inclusive; −1 for what is no module. */
  from: number;
  to: number;
  /** Positions that carried the tester's current for certain, and those that perhaps did; left out by earlier versions. */
  reached?: number[];
  mayReach?: number[];
  /** Its position among the observations; left out by earlier versions. */
  index?: number;
  /** The pole that the lead was on; null where nobody said. */
  terminals?: Terminals | null | undefined;
  contactProven?: boolean | null | undefined;
  wetted?: boolean;
  mounted: boolean;
  setV: number;
  points: SeriesPoint[];
  result: SeriesResult;
  /** Figures that do not belong together, as a question. */
  query: string;
  /** What a test that passed lacks to count, such as `loose`; empty where it counts. Left out by earlier versions. */
  lacks?: string;
}
/** A resistance to chassis that was only jotted: at a module, or at a pole of the whole pack. */
export interface Jotted {
  /** Empty for a pole. */
  module: string;
  pole?: 'positive' | 'negative';
  /** Null where the meter was over its range. */
  ohm: number | null;
  atLeast?: boolean;
  /** Read at a part that has left the place since. */
  ofPartBefore?: boolean;
}
export interface JottedNote extends Jotted {
  low: boolean;
  says: string;
}
export interface ModuleInsulation {
  moduleIndex: number;
  probability: number;
  /** Clean by a test that counts; so far, by one that was too short, loose or queried. */
  state: 'clean' | 'so far' | 'leak' | 'suspect' | 'not split';
  ohm: number | null;
  /** It has that much at least: the tester was over its range, or others were tested beside it. */
  atLeast?: boolean;
}
export interface NextSplit {
  modules: [string, string];
  opens: string[];
  minutes: number;
  expected: Expected;
}
export interface InsulationReport {
  packV: number;
  vehicle: VehicleJudged | null;
  location: LeakLocation | null;
  known: KnownResistorResult | null;
  /** The leak's own resistance, by all that measured it together. */
  leakOhm: Interval | null;
  sizes: MergedSize | null;
  /** The regulation's figure, by which limits are judged. */
  regulationOhm: Interval | null;
  judged: Judged | null;
  /** The same by the other voltage the limit may be taken by. */
  judgedElse: Judged | null;
  tests: TestRow[];
  /** Separated parts whose ends were measured to chassis. */
  parts: (PartRow & { label: string })[];
  /** Resistances jotted at modules: they say where to look, and pass nothing. Left out by earlier versions. */
  jotted?: JottedNote[];
  modules: ModuleInsulation[];
  vehicleSide: { probability: number; state: 'open' | 'clean' | 'leak' };
  /** Two leaks look like one in between until the string is opened. */
  trust: { ok: boolean; why: string };
  title: string;
  text: string;
  /** Something that was measured or reported points at a leak. Left out by earlier versions. */
  suspected?: boolean;
  /** What the tests cover together. Left out by earlier versions. */
  coverage?: Coverage;
  /** Modules that leaked and pass now, with what has to be answered before that is believed. Left out by earlier versions. */
  passesNow?: PassesNow[];
  /** Parts far below the others that were tested alike. Left out by earlier versions. */
  odd?: OddOne[];
  /** It came with water, and no test after wetting is on record: what to wet, and test. Left out by earlier versions. */
  wetTest?: string;
  /** Mud outside on the case beside what was seen inside. Left out where none is told, and by earlier versions. */
  outside?: OutsideReport;
  /** What was measured of the same pack in another state, told apart. Left out by earlier versions. */
  other?: { state: 'dry' | 'wet'; title: string; text: string } | null | undefined;
  /** What was found before a part went in that the leak was at. Left out by earlier versions. */
  before?: { title: string; gone: string[] } | null | undefined;
  /** Modules that leak, joined by `and`; more may leak than these. */
  found: string | null;
  /** Why at least one more leaks than was found; left out where nothing says so, and by earlier versions. */
  more?: string;
  next: {
    kind: 'poles' | 'sides' | 'split' | 'found' | 'nothing';
    text: string;
    split: NextSplit | null;
    others: NextSplit[];
    halving: Expected | null;
    oneByOne: Expected | null;
  };
  /** Voltage to chassis that a proof of absence met; empty if none. */
  chassis: string;
  contradiction: string;
  falsePasses: { id: FalsePass; question: string; trap: string; yes: boolean | null }[];
  causes: CauseRow[];
  entry: string | null;
  /** Ways in that the profile knows, by how well they explain what is hit; left out in findings from before. */
  ways?: { rows: EntryRow[]; elsewhere: number } | null | undefined;
  fuses: { fuse: 'main' | 'pyro'; evidence: FuseEvidence }[];
  openLinks: string[];
}

/** What each test reached, and what is proven by them together. */
export interface Coverage {
  tests: {
    /** Position among the observations. */
    index: number;
    label: string;
    /** Modules that carried the tester's current. */
    reached: string[];
    /** It counts: the voltage was reached, for a minute, as mounted, with nothing queried. */
    valid: boolean;
    /** Why it does not, or what it lacks. */
    why: string[];
  }[];
  /** Modules that a valid test reached and found clean after the last change of links or parts, in string order. */
  proven: string[];
  missing: string[];
  complete: boolean;
  /** Parts in the case that are no modules, by name: no test of the string reaches them for certain. Left out by earlier versions. */
  caseParts?: { proven: string[]; missing: string[] };
}
/** A part that passes, and has far less than the others that were tested alike. */
export interface OddOne {
  label: string;
  moduleOhm: number;
  says: string;
}
/** A module that leaked when it was tested alone, and passed later. */
export interface PassesNow {
  module: string;
  /** Open: to be answered. Not trusted: an answer speaks against the pass. Cleared: every answer speaks for it. */
  state: 'open' | 'not trusted' | 'cleared';
  /** What is still to be answered. */
  ask: FalsePass[];
  /** Answers that speak against the pass. */
  against: FalsePass[];
}

/** What the report is computed from beside the observations. */
export interface InsulationInputs {
  /** Parts that went in, each with how many observations had been made by then. */
  fitted?: { module: string; after: number }[] | undefined;
  /** Voltage of every module, V, by module index. */
  moduleV: number[];
  /** Lowest channel of each module against the pack's median, mV, where a scan tells it. */
  lowestMv?: (number | null)[] | undefined;
  /** Resistances jotted at modules and poles, oldest first: a figure alone, at a voltage nobody wrote down. */
  jotted?: Jotted[] | undefined;
  /** The vehicle came with a lamp or a code of its insulation: passes of the pack alone do not answer that. */
  reported?: boolean | undefined;
  /** It came with a leak that shows after rain or washing. */
  afterRain?: boolean | undefined;
}
