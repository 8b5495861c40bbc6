import type { Ending, Measure } from './measures';
import type { Stage } from './stages';

/** What is on record of a job, as far as its route depends on it. */
export interface RouteFacts {
  complaint: string;
  intake: boolean;
  /** What a used pack shows, and what is asked for it, was written down and signed. */
  appraised?: boolean | undefined;
  scans: { role: 'before' | 'after' }[];
  /** What the newest diagnosis found, in one line. */
  headline: string;
  /** What is known of a leak. */
  leak: { title: string; found: string | null } | null;
  /** Cells beyond their floor or ceiling by a reading somebody took, in one line. */
  danger: string | null;
  /** An instrument whose output could not be reached. */
  output: string | null;
  /** What made somebody press Stop, while that stands. */
  stop: string | null;
  /** `ever`: the pack was proven dead at some time in this job. */
  gate: { holds: boolean; begun: boolean; ever: boolean; stillLive: boolean };
  /** The signed list; null while nothing is decided. */
  measures: Measure[] | null;
  /** Work inside the pack was done by somebody else, who and where; signed with the list. Empty: here. */
  elsewhere: string;
  /** Donors chosen by the place they are for, and places whose way to the level of the others is signed. */
  chosen: { place: string; part: string }[];
  levelled: string[];
  /** Parts that this job put into the pack. */
  fitted: { place: string; part: string }[];
  /** Modules that this job took out, wherever they went. Left out: none. */
  takenOut?: number;
  /** Places whose part was scrapped, returned or sold with proof. */
  disposed: string[];
  /** Checks recorded by hand, the newest of each place. */
  checks: { check: string; place: string; passed: boolean }[];
  /** Insulation tests after the last part went in cover every module and found it clean. */
  insulationProven: boolean;
  /** What of the pack they do not cover, and which passes do not count, in words; empty where all is. */
  insulationMissing?: string | undefined;
  /** Seen, pyro fuse, insulation and lowest voltage are written down. */
  lockedEvidence: boolean;
  /** The signed comparison; null while none is. */
  proved: boolean | null;
  /** What failed of what proves the repair, and where the work goes on. */
  failing?: readonly { stage: Stage; says: string }[] | undefined;
  /** The newest comparison bears a proof out. */
  comparisonPassed: boolean;
  /** The sheet is signed, with the ending it names. */
  handedOver: Ending | null;
  /** Why a job that was handed over is open again; empty if it is not. */
  reopened: string;
  /** Joints whose resistance stands out: they are made again first. */
  remake?: readonly string[] | undefined;
  /** Parts of the build that were taken off and are not on again. */
  partsOff?: readonly string[] | undefined;
  /** Stages in which something was written down. */
  noted: readonly Stage[];
}
