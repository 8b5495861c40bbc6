import { isMapOpen } from '@cellmend/contract/mapOpen';
import type { MapChecked } from '@cellmend/contract/scans';
import useSWR from 'swr';
import { get } from '../api/client';

/** Two maps fit what was metered: which module a channel belongs to is not settled. */
export const useMapOpen = (job: number): boolean =>
  isMapOpen(useSWR<MapChecked | null>(`/jobs/${job}/map-check`, get).data);
