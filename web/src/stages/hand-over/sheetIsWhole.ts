import type { BenchView } from '@cellmend/contract/bench';
import useSWR from 'swr';
import { get } from '../../api/client';
import { useChecks, useInsulation, useSafety, useStock } from '../../api/hooks';
import { useStored } from '../../photos/Photos';
import { useReadings } from '../notes/Readings';
import { useOpenPointsOf } from '../rebuild/OpenPoints';
import { useTicks } from '../strip-down/usePlan';
import { useQuotes } from './Quoted';

/** Whether everything a sheet is written from has arrived: one that lacks how a damaged module travels is neither signed nor printed. */
export function useSheetIsWhole(job: number): boolean {
  const parts = [
    useChecks(job),
    useSafety(job),
    useInsulation(job),
    useOpenPointsOf(job),
    useQuotes(job),
    useStored(job),
    // What a pack is worth hangs on its codes.
    useReadings(job),
    // Joints stand in the ticks, and what was chosen where another part went in among the stock.
    { data: useTicks().view },
    useStock(),
    // What the bench measured of its parts.
    useSWR<BenchView>(`/jobs/${job}/bench`, get),
  ];
  return parts.every((p) => p.data !== undefined);
}
