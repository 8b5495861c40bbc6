import {
  compareSchools,
  heldByModule,
  typicalOfStaying,
  type SchoolRow,
  type SchoolsAsk,
} from '@cellmend/core/match';
import { planBalance } from '@cellmend/core/balance';
import { LEVEL_A } from '@cellmend/core/quote';
import { InputProblem, measured, type Measured } from '@cellmend/core/pack';
import { placesOf } from '@cellmend/core/route';
import { useMemo } from 'react';
import { decisionOf, spreadOf, useStock, useWorkshop } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useBench } from '../bench/useBench';
import { leftBecause } from './fits';

export interface Schools {
  /** Null while they cannot be compared. */
  rows: SchoolRow[] | null;
  why: string;
  /** Hours on a supply until each that goes in is level; null where it cannot be told. */
  levelEach: (row: SchoolRow) => number[] | null;
  /** So many A·h once level, as sure as the capacity of the pack itself. */
  level: (ah: number) => Measured;
}

/** The schools side by side for what is decided or proposed to come out; from measured capacities alone. */
export function useSchools(): Schools {
  const { job, pack, findings } = useJobView();
  const { data: stock } = useStock();
  const { data: workshop } = useWorkshop();
  const alone = useBench(job.number).data?.measuredAloneAh;
  const report = spreadOf(findings, 'before')?.report ?? null;
  const signed = decisionOf(job, 'measures')?.body.measures;
  const failed = job.failed.length > 0 ? job.failed : placesOf(signed ?? [], 'replace-module');
  const typical = typicalOfStaying(pack, report, alone ?? {}, failed);
  const sdShare = typical.measured ? (typical.high - typical.low) / 4 / typical.value : 0;
  const held = heldByModule(pack, report, alone ?? {});
  const sizes = [...new Set(pack.modules.map((m) => m.groupIndices.length))];
  const open = held.filter((ah) => ah === null).length;
  const why =
    failed.length === 0
      ? 'No module is found to come out.'
      : !typical.measured || open > 0
        ? 'Capacities are not measured: a scan near full and near empty with its current, or each module on the bench.'
        : sizes.length > 1
          ? 'Modules of this pack differ in size: donors are told place by place.'
          : '';
  const ask: SchoolsAsk | null =
    why === '' && stock && workshop && alone
      ? {
          modules: pack.modules.map((m, i) => ({ id: m.id, heldAh: held[i]! })),
          failed,
          donors: stock
            .filter((s) => s.kind === 'module' && s.place.kind !== 'quarantine')
            .filter((s) => leftBecause(s, pack, sizes, job.number) === '')
            .map((s) => ({
              id: s.label,
              capacityAh: s.capacityAh!,
              resistanceMilliohm: s.resistanceMilliohm!,
              restVoltageV: s.restVoltageV ?? 0,
              price: s.price ?? null,
            })),
          limitShare: workshop.swapLimitShare,
          ratedAh: pack.profile.ratedCapacityAh,
          sdShare,
          ageYears: decisionOf(job, 'intake')?.body.ageYears ?? null,
        }
      : null;
  const key = ask ? JSON.stringify(ask) : '';
  const rows = useMemo(() => (key ? compareSchools(JSON.parse(key) as SchoolsAsk) : null), [key]);
  const rest = report?.nearEmpty ?? report?.nearFull;
  const levelEach = (row: SchoolRow): number[] | null => {
    const donors = row.donors?.map((label) => stock?.find((s) => s.label === label));
    if (!rest || !donors || donors.some((d) => d?.restVoltageV == null)) return null;
    try {
      return donors.map(
        (d) =>
          planBalance(
            {
              groupCount: d!.groupCount!,
              moduleRestVoltageV: d!.restVoltageV!,
              newcomerCapacityAh: d!.capacityAh,
              packSocFraction: rest.medianSocFraction,
              packCapacityAh: typical.measured ? typical.value : null,
              currentA: LEVEL_A,
              bleederMilliamp: pack.profile.bleederMilliamp ?? 50,
              goal: 'level-now',
            },
            pack,
          ).hours,
      );
    } catch (e) {
      if (e instanceof InputProblem) return null;
      throw e;
    }
  };
  return {
    rows,
    why,
    levelEach,
    level: (ah) => measured(ah, sdShare * ah, typical.measured ? typical.from : '', 0),
  };
}
