import type { NewTick, StripTick, StripView } from '@cellmend/contract/stripdown';
import { targetsOf, type PlanAsk, type Standing, type StripPlan, type Tick } from '@cellmend/core/stripdown';
import { useEffect, useMemo, useSyncExternalStore } from 'react';
import useSWR from 'swr';
import { get } from '../../api/client';
import { decisionOf, useSafety } from '../../api/hooks';
import { subscribe, take, waitingNow } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import type { PlanAnswer, PlanQuestion } from './planWorker';

let worker: Worker | null = null;
let count = 0;
const asked = new Map<number, (answer: PlanAnswer) => void>();
/** Works a plan out in a thread of its own: the page stays at ease whatever the pack. */
function work(profile: PlanQuestion['profile'], ask: PlanAsk): Promise<StripPlan> {
  if (!worker) {
    worker = new Worker(new URL('./planWorker.ts', import.meta.url), { type: 'module' });
    // A thread that fails is made anew with the next question; nobody waits for an answer that cannot come.
    worker.onerror = (e) => {
      worker?.terminate();
      worker = null;
      for (const [id, answer] of asked)
        answer({ id, problem: e.message || 'The plan could not be worked out.' });
      asked.clear();
    };
    worker.onmessage = ({ data }: MessageEvent<PlanAnswer>) => {
      asked.get(data.id)?.(data);
      asked.delete(data.id);
    };
  }
  const id = ++count;
  return new Promise((resolve, reject) => {
    asked.set(id, (a) => ('plan' in a ? resolve(a.plan) : reject(new Error(a.problem))));
    worker!.postMessage({ id, profile, ask } satisfies PlanQuestion);
  });
}

const ticksPath = (job: number): string => `/jobs/${job}/strip-down/ticks`;

/** What was ticked on this page: it counts until the server shows it, also between being sent and being seen again. */
const sent = new Map<number, (NewTick & { key: string })[]>();

/** Ticks a part: kept before it returns, sent as soon as the server takes it. No two of a burst share a millisecond. */
export function sendTick(job: number, tick: NewTick, label: string): void {
  const before = Math.max(0, ...(sent.get(job) ?? []).map((t) => Date.parse(t.observedAt)));
  const atMs = Date.parse(tick.observedAt);
  // Only what is typed within the same moment is told apart; a clock set back is the server's matter.
  const body =
    before >= atMs && before - atMs < 1000
      ? { ...tick, observedAt: new Date(before + 1).toISOString() }
      : tick;
  const key = take({ path: ticksPath(job), body, label, jobNumber: job });
  sent.set(job, [...(sent.get(job) ?? []), { ...body, key }]);
}
const same = (a: Pick<NewTick, 'part' | 'off' | 'observedAt'>, b: StripTick): boolean =>
  a.part === b.part && a.off === b.off && Date.parse(a.observedAt) === Date.parse(b.at);

/** What is off, as the server knows it and as it waits on this tablet. */
export function useTicks(): { ticks: Tick[]; view: StripView | undefined } {
  const { job } = useJobView();
  const { data } = useSWR<StripView>(`/jobs/${job.number}/strip-down`, get);
  const waiting = useSyncExternalStore(subscribe, waitingNow, waitingNow);
  // What the server refused counts no more, also once it is put away.
  useEffect(() => {
    const no = new Set(
      waiting.filter((w) => w.path === ticksPath(job.number) && w.refused !== null).map((w) => w.key),
    );
    const own = sent.get(job.number);
    if (no.size > 0 && own)
      sent.set(
        job.number,
        own.filter((t) => !no.has(t.key)),
      );
  }, [waiting, job.number]);
  const ticks = useMemo(() => {
    const known = data?.ticks ?? [];
    const own = waiting.filter((w) => w.path === ticksPath(job.number));
    const no = new Set(own.filter((w) => w.refused !== null).map((w) => (w.body as NewTick).observedAt));
    const bodies = [...own.map((w) => w.body as NewTick), ...(sent.get(job.number) ?? [])].filter(
      (t, i, all) => all.findIndex((o) => o.observedAt === t.observedAt && o.part === t.part) === i,
    );
    return [
      ...known.map((t): Tick => ({ part: t.part, off: t.off, minutes: t.minutes })),
      ...bodies
        .filter((t) => !no.has(t.observedAt) && !known.some((k) => same(t, k)))
        .sort((x, y) => Date.parse(x.observedAt) - Date.parse(y.observedAt))
        .map((t): Tick => ({ part: t.part, off: t.off, minutes: null })),
    ];
  }, [data, waiting, job.number]);
  return { ticks, view: data };
}

/** Parts that the signed list asks to be laid free; those of what is proposed, until one is signed. */
export function useListed(): string[] {
  const { job, pack } = useJobView();
  return useMemo(() => {
    const signed = decisionOf(job, 'measures')?.body.measures;
    const proposed = job.proposed.map((m) => ({ ...m, closed: false, dropped: '' }));
    return targetsOf(signed ?? proposed, pack);
  }, [job, pack]);
}

const picks = new Set<() => void>();
const pickedKey = (job: number): string => `cellmend.draft.${job}.strip-targets`;
/** What is to be reached: as listed, until somebody picks otherwise; kept on this tablet, seen by page and map alike. */
export function useTargets(): { targets: string[]; picked: boolean; pick: (ids: string[] | null) => void } {
  const { job } = useJobView();
  const listed = useListed();
  const key = pickedKey(job.number);
  const kept = useSyncExternalStore(
    (listener) => {
      picks.add(listener);
      return () => picks.delete(listener);
    },
    () => localStorage.getItem(key),
  );
  const targets = useMemo(() => (kept === null ? listed : (JSON.parse(kept) as string[])), [kept, listed]);
  return {
    targets,
    picked: kept !== null && [...targets].sort().join() !== [...listed].sort().join(),
    pick: (ids) => {
      if (ids === null) localStorage.removeItem(key);
      else localStorage.setItem(key, JSON.stringify(ids));
      for (const tell of picks) tell();
    },
  };
}

/** Where the pack stands, as far as it is known here; null until it is. */
export function useStanding(): Standing | null {
  const { job } = useJobView();
  const { data: safety } = useSafety(job.number);
  const { ticks } = useTicks();
  return useMemo(
    () =>
      safety
        ? {
            ticks,
            moduleV: safety.moduleV,
            // What was put on again a moment ago is not out any more, whatever the server said before.
            open: safety.openLinks.filter((id) => !ticks.some((t) => t.part === id)),
          }
        : null,
    [safety, ticks],
  );
}

/** The least work to the targets from where the pack stands. */
export function usePlan(targets: readonly string[]): { plan: StripPlan | undefined; problem: string } {
  const { job } = useJobView();
  const standing = useStanding();
  const { view } = useTicks();
  const ask: PlanAsk | null =
    standing && view && targets.length > 0 ? { ...standing, targets: [...targets], seen: view.seen } : null;
  const { data, error } = useSWR<StripPlan, Error>(
    ask ? ['plan of strip down', job.number, job.packVersion, JSON.stringify(ask)] : null,
    () => work(job.pack, ask!),
    { keepPreviousData: true, revalidateOnFocus: false, revalidateIfStale: false },
  );
  return { plan: targets.length > 0 ? data : undefined, problem: error?.message ?? '' };
}
