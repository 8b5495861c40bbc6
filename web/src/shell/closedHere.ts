import { GATED_STAGES } from '@cellmend/core/route';
import type { Job } from '@cellmend/contract/jobs';

/** What the page says then. */
export const STOPPED_HERE =
  'Stopped on this tablet. The server does not know it yet; it is told as soon as it answers.';

/** What the page says of a gate that it knows only from before. */
export const GATE_UNKNOWN =
  'The server is away. What was proven then is no proof now: the gate stays closed on this tablet until it answers.';

/** A job whose stop waits on this tablet for the server, or that is known only from before: its gate is closed here and now. */
export function closedHere(job: Job, why = STOPPED_HERE): Job {
  const route = { ...job.route };
  for (const s of GATED_STAGES) route[s] = { state: 'blocked', note: 'gate' };
  if (why === STOPPED_HERE) route['make-safe'] = { state: 'reopened', note: 'stopped' };
  return {
    ...job,
    route,
    gate: {
      ...job.gate,
      holds: false,
      proof: null,
      why,
    },
  };
}
