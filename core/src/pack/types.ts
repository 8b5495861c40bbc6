import type { Chemistry } from './chemistry';
import type { LimitSpec } from './limits';

/** One measured voltage, in electrical order from the negative end. */
export interface ChannelSpec {
  id: string;
  /** Cells in series behind this one voltage: 1 for a lithium group, 6 or 12 for a NiMH block. */
  cells: number;
  /** Under which channel's name scans give the voltage of this place, where the sense wires are laid in another order. */
  reportedAs?: string | undefined;
}

/** Where a module lies in the vehicle: tier 0 is the lowest, row 0 is nearest the front. */
export interface Place {
  tier: number;
  row: number;
  column: number;
}

/**
 * A replaceable unit. It names whole `channels`, or single `groups` (`ch03.7` is the 7th group of channel ch03)
 * where one channel spans several modules.
 */
export interface ModuleSpec {
  id: string;
  channels?: string[] | undefined;
  groups?: string[] | undefined;
  place?: Place | undefined;
  massKg?: number | undefined;
}

/** A joint that can be opened between two modules that follow each other in the string. */
export interface LinkSpec {
  id: string;
  between: [string, string];
  kind: 'busbar' | 'cable' | 'service-disconnect';
  /** Minutes to reach and open it. */
  accessMin?: number | undefined;
  /** Ids of links that have to be out before this one can be reached. */
  after?: string[] | undefined;
}

/** What a pack is built of, besides its cells. */
export const BUILD_KINDS = [
  'lid',
  'cover',
  'bracket',
  'coolant',
  'harness-plug',
  'sense-plug',
  'link',
  'clamp',
  'seal',
  'module',
  'other',
] as const;
export type BuildKind = (typeof BUILD_KINDS)[number];

/** A part of the build: what has to be off first, and what taking it off takes. */
export interface BuildPart {
  /** A module's or a link's own id where it is one. */
  id: string;
  kind: BuildKind;
  name?: string | undefined;
  minutes: number;
  /** Left out where none is needed. */
  tool?: string | undefined;
  massKg?: number | undefined;
  /** Alternatives, each a set that must all be off first: “from above, or from the side after the rail”. */
  after?: string[][] | undefined;
  /** Modules it lies over or holds: where it is drawn. A link is drawn between its two, a module is itself. */
  over?: string[] | undefined;
  /** Parts that can be used once and are needed new to close it: to be ordered before it is opened. */
  singleUse?: string[] | undefined;
  /** Tightening torque of its fixings. */
  torqueNm?: number | undefined;
  caution?: string | undefined;
  /** A connector that closes in stages, each told by what is seen or heard: “pushed in until it clicks”, “lever over”. */
  stages?: string[] | undefined;
}

/** Ways by which water or coolant comes into packs of a kind. */
export const ENTRY_KINDS = ['valve', 'bolt', 'cover', 'connector', 'drain', 'coolant'] as const;
export type EntryKind = (typeof ENTRY_KINDS)[number];
export interface EntrySpec {
  id: string;
  kind: EntryKind;
  /** The module place it is nearest to. */
  place: Place;
}
/** The closed pack as something to be lifted, carried and sent. */
export interface PackBody {
  massKg?: number | undefined;
  /** Length along the vehicle, width, height. */
  sizeMm?: [number, number, number] | undefined;
  /** Where it is lifted, and where its weight lies. */
  lifting?: string | undefined;
  /** What its screws, nuts and straps are known for, in the order of undoing. */
  before?: string[] | undefined;
}

/** A sense board by its label, and the channels it reports, in the order of its plug. */
export interface BoardSpec {
  id: string;
  channels: string[];
}

/** The pack profile as it stands in a `pack.json` file. */
export interface PackProfile {
  name: string;
  chemistry: Chemistry;
  ratedCapacityAh: number;
  channels: ChannelSpec[];
  modules: ModuleSpec[];
  /** Resistance of one channel at 25 °C when new. */
  nominalGroupResistanceMilliohm: number;
  /** `[state of charge 0..1, volts per cell]` at rest, rising. */
  ocv: [number, number][];
  ocvSource?: string | undefined;
  tiers?: string[] | undefined;
  links?: LinkSpec[] | undefined;
  /** Sense boards, each with the channels it reports. */
  boards?: BoardSpec[] | undefined;
  /** How it comes apart; where it is left out, what the topology says. */
  build?: BuildPart[] | undefined;
  entries?: EntrySpec[] | undefined;
  body?: PackBody | undefined;
  limits?: LimitSpec[] | undefined;
  ratedRangeKm?: number | undefined;
  bleederMilliamp?: number | undefined;
  /** Bus capacitors and their bleeder behind the contactors, for the wait before the pack is proven dead. */
  busCapacitanceF?: number | undefined;
  busBleederOhm?: number | undefined;
  preChargeOhm?: number | undefined;
  /** The pack is wired to an alternating-current side without a monitor of its own: 500 Ω/V instead of 100. */
  acConnected?: boolean | undefined;
  /** Revision or connector code of its modules; donors must have the same. */
  moduleRevision?: string | undefined;
  /** How its modules look, beside chemistry and groups: what a donor has to be alike in. */
  moduleLook?:
    | {
        cellsParallel?: number | undefined;
        connector?: string | undefined;
        handedness?: 'left' | 'right' | 'either' | undefined;
        coolantSide?: 'left' | 'right' | 'below' | 'none' | undefined;
      }
    | undefined;
}

/** A group in the string: the smallest thing in series. */
export interface Group {
  id: string;
  index: number;
  channelIndex: number;
  moduleIndex: number;
}
export interface Channel extends ChannelSpec {
  index: number;
  groupIndices: number[];
  /** Modules this channel's groups sit in, in string order. */
  moduleIndices: number[];
}
export interface Module {
  id: string;
  index: number;
  groupIndices: number[];
  channelIndices: number[];
  place: Place;
  massKg?: number | undefined;
}

/** A profile with every translation channel ↔ group ↔ module ↔ place worked out. */
export interface Pack {
  profile: PackProfile;
  groups: Group[];
  channels: Channel[];
  modules: Module[];
  /** Module indices in electrical order from the negative end. */
  stringOrder: number[];
  tiers: string[];
}
