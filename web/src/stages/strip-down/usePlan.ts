import type { NewTick, StripTick, StripView } from '@cellmend/contract/stripdown';
import { placesOf } from '@cellmend/core/route';
import type { PlanAsk, StripPlan, Tick } from '@cellmend/core/stripdown';
import { useMemo, useSyncExternalStore } from 'react';
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
const sent = new Map<number, NewTick[]>();

/** Ticks a part: kept before it returns, sent as soon as the server takes it. */
export function sendTick(job: number, body: NewTick, label: string): void {
  sent.set(job, [...(sent.get(job) ?? []), body]);
  take({ path: ticksPath(job), body, label, jobNumber: job });
}
const same = (a: Pick<NewTick, 'part' | 'off' | 'observedAt'>, b: StripTick): boolean =>
  a.part === b.part && a.off === b.off && Date.parse(a.observedAt) === Date.parse(b.at);

/** What is off, as the server knows it and as it waits on this tablet. */
export function useTicks(): { ticks: Tick[]; view: StripView | undefined } {
  const { job } = useJobView();
  const { data } = useSWR<StripView>(`/jobs/${job.number}/strip-down`, get);
  const waiting = useSyncExternalStore(subscribe, waitingNow);
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

/** Modules that the signed list takes out; what is proposed, until one is signed. */
export function useListed(): string[] {
  const { job } = useJobView();
  return useMemo(() => {
    const signed = decisionOf(job, 'measures')?.body.measures;
    return placesOf(signed ?? job.proposed, 'replace-module');
  }, [job]);
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

/** The least work to the targets from where the pack stands. */
export function usePlan(targets: readonly string[]): { plan: StripPlan | undefined; problem: string } {
  const { job } = useJobView();
  const { data: safety } = useSafety(job.number);
  const { ticks, view } = useTicks();
  const ask: PlanAsk | null =
    safety && view && targets.length > 0
      ? {
          targets: [...targets],
          moduleV: safety.moduleV,
          ticks: ticks.map(({ part, off, minutes }) => ({ part, off, minutes })),
          seen: view.seen,
        }
      : null;
  const { data, error } = useSWR<StripPlan, Error>(
    ask ? ['plan of strip down', job.number, job.packVersion, JSON.stringify(ask)] : null,
    () => work(job.pack, ask!),
    { keepPreviousData: true, revalidateOnFocus: false, revalidateIfStale: false },
  );
  return { plan: targets.length > 0 ? data : undefined, problem: error?.message ?? '' };
}
