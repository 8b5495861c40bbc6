import type { Span } from '../cost';
import type { SpreadReport } from '../diagnosis';
import type { BuyersFacts, CheckLine } from './check';

/** What is looked at by eye and asked for, with what a bad answer means. */
export const LOOKS = {
  case: { asks: 'Case whole: no dent, nothing bent', bad: 'It was struck', leaves: true },
  dry: { asks: 'Dry, no crust at plugs and seams', bad: 'It was wet', leaves: true },
  origin: {
    asks: 'Comes from no crash and no flood',
    bad: 'It comes out of a crash or a flood',
    leaves: true,
  },
  fits: { asks: 'Part number, plug and revision fit', bad: 'It does not fit', leaves: true },
  plugs: { asks: 'Plugs tight, pins straight', bad: 'A plug is loose', leaves: false },
  answers: {
    asks: 'Its management unit answers, no code',
    bad: 'It does not answer, or tells of a fault',
    leaves: false,
  },
  return: { asks: 'May go back if it fails', bad: 'Sold as it is', leaves: false },
} as const;
export type Look = keyof typeof LOOKS;
export const LOOK_IDS = Object.keys(LOOKS) as [Look, ...Look[]];
/** What no money is put down without. */
export const FIRST: readonly Look[] = ['case', 'dry', 'origin', 'fits'];

/** What the pack itself or its seller tells; null where nobody looked. */
export interface ShownFacts {
  deltaMv: number | null;
  /** Charge at which that delta was shown. */
  socFraction: number | null;
  /** Health as its management unit reports it. */
  healthFraction: number | null;
  coldestC: number | null;
  warmestC: number | null;
  storedMonths: number | null;
}
/** What is asked for it. Amounts in the workshop's currency. */
export interface Offer {
  price: number;
  taxFraction: number;
  deposit: number;
  /** Whether the deposit comes back with the old pack. */
  depositBack: 'yes' | 'no' | 'unsure';
  freight: number;
  ownHours: number;
  hourRate: number;
}
/** What it is for, and what would be done instead: a new pack, a repair. */
export interface UsedFor {
  keepsYears: number;
  distanceKmPerYear: number;
  insteadCost: number;
  insteadYears: number;
}
export interface UsedPackAsk {
  report: SpreadReport | null;
  facts: BuyersFacts;
  shown: ShownFacts;
  looked: Partial<Record<Look, 'good' | 'bad'>>;
  offer: Offer | null;
  use: UsedFor | null;
}
export interface UsedPackVerdict {
  verdict: 'buy' | 'at most' | 'leave it' | 'cannot tell yet';
  because: string;
  lines: CheckLine[];
  lacking: string[];
  /** Both estimates of how long it lasts, years; null where its facts are not there. */
  lasts: { bySubtraction: Span | null; byHealth: (Span & { inLine: number; reported: boolean }) | null };
  /** What it comes to; null without an offer. */
  comesTo: Span | null;
  /** Price from which another way is cheaper a year: if it lasts as long as is likely, and if it lasts no longer than least. */
  atMost: { likely: number; least: number } | null;
  /** Cost a year, drawn; null without offer and use. */
  perYear: { this: Tenth; instead: Tenth; cheaper: number } | null;
  changes: { if: string; then: string }[];
}
export type Tenth = { p10: number; p50: number; p90: number };
