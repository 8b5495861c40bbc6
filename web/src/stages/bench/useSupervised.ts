import type { Beside } from '@cellmend/contract/bench';
import type { SupervisedRun, SupervisedView } from '@cellmend/contract/supervised';
import { useState } from 'react';
import useSWR from 'swr';
import { get } from '../../api/client';
import { usePassing, type Passing } from '../../api/live';

type Told = Extract<Passing, { topic: 'bench-reading' }>['run'];

/** Runs that instruments drive for a job, as the server knows them. */
export const useRunsNow = (job: number | null) =>
  useSWR<SupervisedView>(job === null ? null : `/jobs/${job}/bench/supervised`, get, {
    refreshInterval: 20_000,
  });

/** What else is on the bench or waits for it. */
export const useBeside = (job: number) => useSWR<Beside>(`/jobs/${job}/bench/beside`, get);

/** Runs that instruments drive for a job, with their newest readings as they come. */
export function useSupervised(job: number): SupervisedRun[] {
  const { data } = useRunsNow(job);
  const [told, setTold] = useState<Record<string, Told>>({});
  usePassing((m) => {
    if (m.topic === 'bench-reading' && m.job === job) setTold((t) => ({ ...t, [m.run.id]: m.run }));
  });
  return (data ?? [])
    .map((r) => {
      const newer = told[r.id];
      return newer && newer.runS > r.runS && r.state === 'running' ? withReading(r, newer) : r;
    })
    .sort((a, b) => ORDER[a.state] - ORDER[b.state] || a.instrument.localeCompare(b.instrument));
}
/** What asks for hands first, then what runs, as the channels stand on the bench. */
const ORDER: Record<SupervisedRun['state'], number> = { interrupted: 0, asked: 0, running: 1, done: 2 };

/** When a run is likely over, by this tablet's clock; null where it does not run. */
export const overAt = (run: SupervisedRun): Date | null =>
  run.state === 'running' && run.runLeftS !== null
    ? new Date(Date.now() + (run.runLeftS * 1000) / run.timeScale)
    : null;
/** The picture goes on with what was just read. */
function withReading(run: SupervisedRun, newer: Told): SupervisedRun {
  const v = newer.reading?.voltageV;
  return {
    ...run,
    ...newer,
    course: v === undefined ? run.course : [...run.course, [newer.runS, v, v]],
  };
}
