import type { Pack } from '../pack';
import type { Hazard } from './hazards';
import type { GloveClass } from './voltageClass';

export const STEP_IDS = [
  'look',
  'quarantine',
  'hazards',
  'gloves',
  'barrier',
  'low-voltage',
  'disconnect',
  'wait',
  'live-dead-live',
  'second-person',
  'pyro-evidence',
  'insulation-evidence',
  'group-voltages',
  'join',
] as const;
export type StepId = (typeof STEP_IDS)[number];

/** What a person did at one step. Volts are as typed from the meter. */
export type StepData =
  | { step: 'look'; text: string; calm: boolean }
  | { step: 'quarantine'; decision: 'outdoors' | 'stays'; place: string; reason: string }
  | { step: 'pyro-evidence'; ohm: number | null; text: string }
  | { step: 'insulation-evidence'; ohm: number | null; text: string }
  | { step: 'group-voltages'; lowestV: number | null; text: string }
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
  | { step: 'second-person' }
  /** Somebody more works behind the lock-out, or takes it over: with their own equipment and their own key or tag. */
  | {
      step: 'join';
      gloveClass: GloveClass;
      testedOn: string;
      airTest: boolean;
      tag: string;
      takesOver: boolean;
      /** Who stays in sight from now on; empty where it is whom it was. */
      secondPerson: string;
    };
export type LockoutEntry = StepData & {
  atMs: number;
  by: string;
  /** The machine's own count at that moment, where it was kept. */
  boot?: { id: string; upS: number } | undefined;
};
/** Live, dead, live: the meter proved, three points, the meter proved again. */
export type Proof = Extract<StepData, { step: 'live-dead-live' }>;

/** Evidence and names may be corrected with a reason; what was measured to open the gate is measured again. */
export const CORRECTABLE: ReadonlySet<StepId> = new Set([
  'look',
  'quarantine',
  'barrier',
  'pyro-evidence',
  'insulation-evidence',
  'group-voltages',
]);

/** What the procedure is built from: the pack and the workshop's own rules. */
export interface LockoutContext {
  pack: Pack;
  hazards: readonly Hazard[];
  /** Highest voltage the pack may have now, V: the careful one of profile, scan and meter. */
  packV: number;
  twoPersons: boolean;
  /** Hours after which a proof of absence is proven anew. */
  gateHours: number;
  /** Least wait for the capacitors, minutes; the computed wait counts if it is longer. */
  leastWaitMin: number;
  /** Behind open contactors every point has to be at or below this to count as dead, V. */
  deadV: number;
}

/** Behind open contactors nothing should be left; a meter and a damp connector show a little. From memory. */
export const USUAL_DEAD_V = 5;
