/** One thing that can be taken off. */
export interface StripPart {
  id: string;
  minutes: number;
  /** Steps without a tool leave in the hand what is in it. */
  tool?: string | null | undefined;
  massKg?: number | null | undefined;
  /** Alternatives, each a set of parts that must all be off first; an empty one, or none at all, is free. */
  after: string[][];
}
export interface StripProblem {
  parts: StripPart[];
  targets: string[];
  /** Each time a step's tool differs from the last one's, minutes. */
  toolChangeMin: number;
}
export interface StripOrder {
  order: string[];
  minutes: number;
  /** No order takes less. */
  proved: boolean;
  lowerBoundMin: number;
}
