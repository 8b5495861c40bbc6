import type { Job } from '@cellmend/contract/jobs';
import type { SpreadReport } from '@cellmend/core/diagnosis';

/** Why a place gives no charge. */
export interface EmptyPlace {
  place: string;
  why: 'out' | 'dead';
}

/**
 * Places that give no charge as the pack stands: what was there is out and nothing was put in, or it is dead. A string with one of them
 * gives nothing before it is filled.
 * @param off parts that the steps took off and nobody put on again
 */
export function emptyPlaces(
  places: readonly string[],
  job: {
    composition: readonly Pick<Job['composition'][number], 'place' | 'here'>[];
    removed: readonly Pick<Job['removed'][number], 'place'>[];
  },
  off: readonly string[],
  report: { findings: readonly Pick<SpreadReport['findings'][number], 'module' | 'verdict'>[] } | null,
): EmptyPlace[] {
  return places.flatMap((place): EmptyPlace[] => {
    // A part that this job put in is there, whatever the steps still say.
    if (job.composition.some((c) => c.place === place && c.here)) return [];
    const stands = job.composition.some((c) => c.place === place);
    const out = off.includes(place) || (job.removed.some((r) => r.place === place) && !stands);
    const dead = report?.findings.some((f) => f.verdict === 'dead' && f.module.split(' + ').includes(place));
    return out ? [{ place, why: 'out' }] : dead ? [{ place, why: 'dead' }] : [];
  });
}
