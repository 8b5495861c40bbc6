export interface Candidate {
  id: string;
  capacityAh: number;
  resistanceMilliohm: number;
  restVoltageV: number;
}
export interface SelectAsk {
  candidates: Candidate[];
  positions: number;
  /** Position (from 1) to the id that stays there; it counts in every aim. */
  fixed: Record<string, string>;
  limits: {
    capacityLeastAh?: number | null | undefined;
    resistanceMostMilliohm?: number | null | undefined;
    restVoltageSpreadMostV?: number | null | undefined;
  };
  aim: 'weakest-first' | 'alike' | 'blocks';
  tolerance?: { capacityAh: number; resistanceMilliohm: number } | undefined;
  /** Positions that are sensed together. */
  blocks?: number[][] | undefined;
  blockQuantity?: 'capacityAh' | undefined;
}
export type Objective =
  { leastCapacityAh: number; capacitySpreadAh: number } | { cost: number } | { blockSpread: number };
export interface SelectAnswer {
  /** Id at each position. */
  places: string[] | null;
  objective: Objective | null;
  proved: boolean;
  /** What no choice can better, in the first figure of the objective. */
  bound: number | null;
  reasons: string[];
}
