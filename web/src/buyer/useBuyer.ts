import type { Appraisal } from '@cellmend/contract/decisions';
import {
  buyersFacts,
  usedPack,
  type BuyersFacts,
  type UsedPackAsk,
  type UsedPackVerdict,
} from '@cellmend/core/buyer';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { useMemo } from 'react';
import { decisionOf, spreadOf } from '../api/hooks';
import { useJobView } from '../shell/jobContext';
import { useReadings } from '../stages/notes/Readings';
import { newestCodes } from '../stages/scan/Codes';

/** What the job knows beside the scan: age, distance, insulation and codes. */
export function useBuyersFacts(): { facts: BuyersFacts; report: SpreadReport | null; known: boolean } {
  const { job, findings } = useJobView();
  const { data: readings } = useReadings(job.number);
  const intake = decisionOf(job, 'intake')?.body;
  const scanned = newestCodes(readings ?? []).map((r) => r.text);
  return {
    report: spreadOf(findings, 'before')?.report ?? null,
    facts: buyersFacts(intake, scanned),
    // Before the codes are there nothing is called sound.
    known: readings !== undefined,
  };
}

/** The verdict on a used pack as it was typed or signed; null where nothing of an offer is there. */
export function useUsedPack(a: Appraisal | null): UsedPackVerdict | null {
  const { pack } = useJobView();
  const { facts, report, known } = useBuyersFacts();
  // What is typed and asked is small and made anew with each drawing: it is compared by what it says.
  const said =
    a && known ? JSON.stringify({ facts, shown: a.shown, looked: a.looked, offer: a.offer, use: a.use }) : '';
  return useMemo(
    () => (said ? usedPack({ report, ...(JSON.parse(said) as Omit<UsedPackAsk, 'report'>) }, pack) : null),
    [said, report, pack],
  );
}
