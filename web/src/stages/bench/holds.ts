import type { BenchView, Run } from '@cellmend/contract/bench';
import type { Reading } from '@cellmend/contract/records';
import type { HeldReading } from '@cellmend/core/bench';
import type { Pack } from '@cellmend/core/pack';
import type { HoldAsk } from './benchWorker';

/** A module that is left alone after its charge. */
export interface Held {
  place: string;
  since: string;
  readings: HeldReading[];
  /** What judges it. */
  asks: HoldAsk;
}
/** Temperatures this near belong to a voltage, ms. */
const BESIDE_MS = 2 * 3_600_000;

/** A hold test with the voltages at its place since it began: jotted, walked or typed like every other reading. */
export function heldOf(
  pack: Pack,
  hold: BenchView['holds'][number],
  readings: readonly Reading[],
  runs: readonly Run[],
): Held {
  const module = pack.modules.find((m) => m.id === hold.place)!;
  const from = Date.parse(hold.at);
  const mine = readings.filter(
    (r) => r.place === hold.place && !r.supersededBy && Date.parse(r.observedAt) >= from - 60_000,
  );
  const warm = mine.filter((r) => r.kind === 'temperature' && r.value !== null);
  const points = mine
    .filter((r) => r.kind === 'voltage' && r.value !== null && r.conditions !== 'per group')
    .map((r): HeldReading => {
      const at = Date.parse(r.observedAt);
      const near = warm
        .map((w) => ({ c: w.value!, apart: Math.abs(Date.parse(w.observedAt) - at) }))
        .sort((a, b) => a.apart - b.apart)[0];
      return {
        h: Math.max(0, (at - from) / 3_600_000),
        v: r.value!,
        c: near && near.apart < BESIDE_MS ? near.c : null,
      };
    })
    .sort((a, b) => a.h - b.h)
    .filter((p, i, all) => i === 0 || p.h > all[i - 1]!.h);
  const measured = runs
    .filter((r) => r.place === hold.place && r.capacityAh !== null && !r.lowerBound)
    .at(-1);
  return {
    place: hold.place,
    since: hold.at,
    readings: points,
    asks: {
      profile: pack.profile,
      cells: module.groupIndices.length,
      readings: points,
      known: {
        socFraction: hold.socFraction,
        capacityAh: hold.capacityAh ?? measured?.capacityAh ?? null,
      },
    },
  };
}
