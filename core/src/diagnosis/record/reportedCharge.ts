import { factsOf, ocvCurve, type Pack } from '../../pack';
import { meanBetween, type RestPoint, type ScanRecord } from '../../scan';
import { median } from '../../numerics/robustStatistics';

/** Charge that is shown differs from what the cells stand at by so much before it is told, as a share. From memory: five per cent is usual. */
const TOLD_SHARE = 0.08;
/** Below this slope the volts at rest do not tell the charge, V for a whole charge. Common practice, no source: 2 mV and more a per cent. */
const LEAST_SLOPE_V = 0.2;
/** A rest is read over its last seconds. */
const LAST_S = 300;

/**
 * Holds the charge that the vehicle shows against the charge its cells stand at by their rest voltages, at the longest rest of a record.
 * @returns a sentence where they do not go together, else an empty one
 */
export function shownAgainstCells(record: ScanRecord, rests: readonly RestPoint[], pack: Pack): string {
  const shown = record.reportedSocFraction;
  const rest = rests.reduce<RestPoint | null>((a, b) => (a && a.restedS >= b.restedS ? a : b), null);
  // Volts that remember where they come from tell no charge.
  if (!shown || !rest || factsOf(pack.profile.chemistry).hysteresis) return '';
  const says = meanBetween(shown, rest.timeS - LAST_S, rest.timeS);
  const cellV = median(
    rest.voltageV.map((v, i) => v / pack.channels[i]!.cells).filter((v) => !Number.isNaN(v)),
  );
  const curve = ocvCurve(pack.profile.ocv);
  const stands = curve.socAt(cellV);
  if (Number.isNaN(says) || Math.abs(curve.slopeAt(stands)) < LEAST_SLOPE_V) return '';
  if (Math.abs(says - stands) < TOLD_SHARE) return '';
  const percent = (v: number): string => `${Math.round(100 * v)} %`;
  return `The vehicle shows ${percent(says)} of charge; by their rest voltage the cells stand at ${percent(stands)}. What it shows is counted, and has drifted, or it counts with a capacity the pack no longer has.`;
}
