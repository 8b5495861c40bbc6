import type { Seat, Verdict } from '../diagnosis/verdict';

/** What is wrong with one channel of a simulated pack. */
export interface SimFault {
  channelIndex: number;
  verdict: Verdict;
  /** False if it shows but its cause cannot be told from this record. */
  determinable: boolean;
  /** How large it is against the typical channel, where one figure says it: % of charge, ratio of capacity or resistance, mA, mV. */
  size?: number;
  /** Where too much resistance sits. */
  seat?: Seat;
}
