import type { MapChecked } from '@cellmend/contract/scans';
import useSWR from 'swr';
import { get } from '../api/client';

/** Another map than the one drawn is left open from this share of the odds on. */
const OPEN_SHARE = 0.05;

/** Two maps fit what was metered: which module a channel belongs to is not settled. */
export function useMapOpen(job: number): boolean {
  const { data: check } = useSWR<MapChecked | null>(`/jobs/${job}/map-check`, get);
  return (
    check != null &&
    check.verdict !== 'proven' &&
    check.odds.some((o) => o.says !== 'as drawn' && o.share >= OPEN_SHARE)
  );
}
