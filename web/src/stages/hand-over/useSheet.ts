import { ENDING_IDS, type Ending } from '@cellmend/core/route';
import { useState } from 'react';
import { decisionOf, useSafety } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { useChosenQuote } from './Quoted';
import { SHEETS, usuallyExpected } from './sheetKinds';
import { typedOf, warrantyOf } from './warranty';

/** What somebody types into the sheet, and what follows of it: kept on this tablet until it is signed. */
export function useSheet() {
  const { job } = useJobView();
  const signed = decisionOf(job, 'hand-over');
  const body = signed?.body;
  const draft = (name: string): string => `${job.number}.${name}`;
  const open = ENDING_IDS.filter((e) => job.endings[e].length === 0);
  // What the list is on its way to, while nothing is reached yet.
  const wanted = ENDING_IDS.find((e) => !job.endings[e].some((w) => w.startsWith('No measure')));
  const [chosen, setEnding] = useState<Ending | null>(body?.ending ?? null);
  const ending = chosen ?? open[0] ?? wanted ?? 'repaired';
  const [written, setTold] = useDraft<string | null>(draft('expectations'), body?.expectations ?? null);
  const [notDone, setNotDone] = useDraft(draft('notDone'), body?.notDone ?? '');
  const [estimate, setEstimate] = useDraft(draft('estimate'), body?.estimate ?? '');
  const [watchBy, setWatchBy] = useDraft(draft('watch-by'), body?.watchBy ?? '');
  const [watched, setWatched] = useDraft(draft('watched'), body?.watched ?? '');
  const [cost, setCost] = useDraft(draft('came-to'), body?.cameTo == null ? '' : String(body.cameTo));
  const [warrantyTyped, setWarranty] = useDraft(draft('warranty'), typedOf(body?.warranty ?? null));
  const watch = useSafety(job.number).data?.watch ?? null;
  const quote = useChosenQuote(job.number);
  const { warranty, wrong: warrantyWrong } = warrantyOf(warrantyTyped);
  const cameTo = cost.trim() === '' ? null : Number(cost.trim().replace(',', '.'));
  const costOk = cameTo === null || (Number.isFinite(cameTo) && cameTo >= 0);
  const stands = ending === 'repaired' || ending === 'monitored';
  const { asks } = SHEETS[ending];
  const measures = decisionOf(job, 'measures')?.body.measures ?? [];
  // What the sheet asks for beside the record is missing as well.
  const missing = [
    ...(asks !== null && estimate.trim() === '' && !(ending === 'appraised' && decisionOf(job, 'appraisal'))
      ? [`${asks}: say it below.`]
      : []),
    ...(watch && watchBy.trim() === ''
      ? ['Who carries the thermal watch on, and until when: say it below.']
      : []),
    ...(ending === 'monitored' && watched.trim() === ''
      ? ['Who watches what, and until when: say it below.']
      : []),
  ];
  return {
    ending,
    setEnding,
    /** Endings that nothing stands against. */
    open,
    obstacles: [...job.endings[ending], ...missing],
    told: written ?? usuallyExpected(ending, measures),
    setTold,
    notDone,
    setNotDone,
    estimate,
    setEstimate,
    watch,
    watchBy,
    setWatchBy,
    watched,
    setWatched,
    quote,
    cost,
    setCost,
    cameTo,
    costOk,
    warrantyTyped,
    setWarranty,
    /** The workshop stands for its work. */
    stands,
    warranty: stands ? warranty : null,
    warrantyOk: !stands || !warrantyWrong,
    signed,
  };
}
export type SheetTyped = ReturnType<typeof useSheet>;
