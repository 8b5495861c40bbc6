import { useChecks, useInsulation, useSafety } from '../../api/hooks';
import { useStored } from '../../photos/Photos';
import { useReadings } from '../notes/Readings';
import { useOpenPointsOf } from '../rebuild/OpenPoints';
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
  ];
  return parts.every((p) => p.data !== undefined);
}
