import type { BoardRow, Job, Vehicle } from '@cellmend/contract/jobs';
import type { Decision, NewDecision } from '@cellmend/contract/decisions';
import type { Instrument } from '@cellmend/contract/instruments';
import type { InsulationEntry } from '@cellmend/contract/insulation';
import type { SafetyView, WorkshopSettings } from '@cellmend/contract/safety';
import type { InsulationReport } from '@cellmend/core/insulation';
import type { Session } from '@cellmend/contract/people';
import type { Check } from '@cellmend/contract/records';
import { findingOf } from '@cellmend/contract/findingOf';
import type { Finding } from '@cellmend/contract/findings';
import type { Definition, ScanPicture } from '@cellmend/contract/scans';
import type { StockPart } from '@cellmend/contract/stock';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { useCallback } from 'react';
import type { Traces } from '@cellmend/contract/scanRoutes';
import useSWR, { useSWRConfig } from 'swr';
import { get, send } from './client';
import { pathOf } from './live';

export const useSession = () => useSWR<Session>('/session', get);
export const useBoard = () => useSWR<{ rows: BoardRow[] }>('/jobs', get);
export const useJob = (number: number) => useSWR<Job>(`/jobs/${number}`, get);
export const useFindings = (number: number) => useSWR<Finding[]>(`/jobs/${number}/findings`, get);
export const useStock = () => useSWR<StockPart[]>('/stock', get);

/** Volts of some channels through a record, or within a span of it. */
export const useTraces = (
  number: number,
  scanId: string | undefined,
  channels: number[],
  span: { from: number; to: number } | null = null,
) =>
  useSWR<Traces>(
    scanId && channels.length > 0
      ? `/jobs/${number}/scans/${scanId}/traces?channels=${channels.join(',')}${span ? `&fromS=${span.from.toFixed(2)}&toS=${span.to.toFixed(2)}` : ''}`
      : null,
    get,
    { keepPreviousData: true },
  );

export const useSafety = (number: number) => useSWR<SafetyView>(`/jobs/${number}/safety`, get);
export const useInsulation = (number: number | null) =>
  useSWR<InsulationEntry[]>(number === null ? null : `/jobs/${number}/insulation`, get);
export const useWorkshop = () => useSWR<WorkshopSettings>('/workshop', get);
/** The newest report on a leak, with the finding's id. */
export function leakOf(findings: Finding[] | undefined): { id: string; report: InsulationReport } | null {
  const found = findingOf(findings, 'insulation');
  if (!found) return null;
  // Findings of earlier days do not have all of it.
  const early: Pick<InsulationReport, 'sizes' | 'parts' | 'judgedElse'> = {
    sizes: null,
    parts: [],
    judgedElse: null,
  };
  return { id: found.id, report: { ...early, ...found.result } };
}
export const useDefinitions = () => useSWR<Definition[]>('/definitions', get);
/** Deviation of every channel through a record. */
export const usePicture = (number: number, scanId: string | undefined) =>
  useSWR<ScanPicture>(scanId ? `/jobs/${number}/scans/${scanId}/picture` : null, get, {
    revalidateOnFocus: false,
    revalidateIfStale: false,
  });

/** The newest spread of a role, with the finding's id. */
export function spreadOf(
  findings: Finding[] | undefined,
  role: 'before' | 'after',
): { id: string; report: SpreadReport } | null {
  const found = findingOf(findings, 'spread', role);
  return found ? { id: found.id, report: found.result } : null;
}
export const decisionOf = <T extends Decision['topic']>(
  job: Job,
  topic: T,
): (Decision & { body: Extract<Decision['body'], { topic: T }> }) | undefined =>
  job.decisions.find((d) => d.topic === topic) as never;

export const useChecks = (number: number) => useSWR<Check[]>(`/jobs/${number}/checks`, get);
export const useVehicles = () => useSWR<Vehicle[]>('/vehicles', get);

/** Looks at everything of a job again after a write. */
export function useRefresh(number: number): () => Promise<void> {
  const { mutate } = useSWRConfig();
  return useCallback(async () => {
    await mutate((asked) => {
      const key = pathOf(asked);
      return key !== null && (key === '/jobs' || key === '/stock' || key.startsWith(`/jobs/${number}`));
    });
  }, [mutate, number]);
}

export const signDecision = (number: number, decision: NewDecision, key?: string): Promise<Decision> =>
  send('POST', `/jobs/${number}/decisions`, decision, key);

/** The workshop's instruments; asked again now and then, since one may go away. */
export const useInstruments = () => useSWR<Instrument[]>('/instruments', get, { refreshInterval: 15_000 });
