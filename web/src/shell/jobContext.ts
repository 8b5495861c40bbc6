import type { Job } from '@cellmend/contract/jobs';
import type { Finding } from '@cellmend/contract/findings';
import type { Person } from '@cellmend/contract/people';
import type { Pack } from '@cellmend/core/pack';
import { createContext, useContext } from 'react';

/** What every stage sees: the job, its pack, what was found, and which module is picked. */
export interface JobView {
  job: Job;
  pack: Pack;
  findings: Finding[];
  person: Person;
  /** The database began as the demo depot. */
  demo: boolean;
  selected: number | null;
  select: (module: number | null) => void;
  refresh: () => Promise<void>;
}
export const JobContext = createContext<JobView | null>(null);
export function useJobView(): JobView {
  const view = useContext(JobContext);
  if (!view) throw new Error('a stage was rendered outside its job');
  return view;
}
