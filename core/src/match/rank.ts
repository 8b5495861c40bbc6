import { ageOfData } from './age';
import type { DonorLook } from './compatible';
import { LEAST_INSULATION_OHM, mayGoIn, type PlaceNeed } from './mayGoIn';
import { measured, notMeasured, ocvCurve, type Chemistry, type Measured, type Pack } from '../pack';
import { usableCapacity, type GroupState } from '../range';

/** A donor module on the shelf; each figure null where nobody measured it. */
export interface DonorModule extends DonorLook {
  id: string;
  label: string;
  chemistry: Chemistry;
  groupCount: number;
  /** Maker's revision or connector code; must equal that of the pack's modules where both are known. */
  revision?: string | undefined;
  /** Weakest group's measured capacity, A·h. */
  capacityAh: number | null;
  /** Mean resistance of a group, mΩ. */
  resistanceMilliohm: number | null;
  /** Rested voltage of the whole module, V, and its temperature. */
  restVoltageV: number | null;
  temperatureC: number | null;
  origin: string;
}

/** The rest of the pack that a newcomer has to fit. */
export interface PackNeed extends PlaceNeed {
  /** Groups that stay, with what they hold and how full they are. */
  staying: GroupState[];
  /** Null where no reading measured it: then donors are not ranked by it, and nothing is said of the pack with one in. */
  typicalCapacityAh: Measured;
  resistanceMilliohm: Measured;
  socFraction: number;
  temperatureC: number | null;
  /** The day that is asked about, ISO 8601: how old a donor's figures are. Left out, nothing is said of their age. */
  asOf?: string | undefined;
}

export interface MatchRow {
  donor: DonorModule;
  fits: boolean;
  /** Why it does not fit; empty if it does. */
  obstacles: string[];
  /** Null where its own figure or the pack's was not measured. */
  capacityDeviation: number | null;
  resistanceDeviation: number | null;
  /** Null where its rest voltage was not measured. */
  socFraction: number | null;
  /** Rested volts per group against those of the pack, mV. */
  voltageDeviationMv: number | null;
  /** Null where rest voltage or capacity was not measured. */
  balanceAh: number | null;
  /** Usable capacity of the pack with it in, balanced, A·h. */
  usableAh: Measured;
  /** 0 is a perfect twin; each unit is one full tolerance off. */
  distance: number;
  remarks: string[];
}

/** Tolerances of a good match. Common practice of the trade, no source; a shop may set its own. */
export const MATCH_TOLERANCE = {
  capacity: 0.03,
  resistance: 0.15,
  balanceShare: 0.2,
  insulationOhm: LEAST_INSULATION_OHM,
};
/** How far off a figure counts that nobody measured, in tolerances: behind every near twin, before a poor one. */
const NOT_MEASURED = 1.5;

/** What the pack gives with it in, balanced. */
function usableWith(donorAh: number | null, need: PackNeed): Measured {
  const typical = need.typicalCapacityAh;
  if (!typical.measured) return typical;
  if (donorAh === null)
    return notMeasured('Nobody measured what the donor holds.', 'A full discharge on the bench.');
  const { balancedAh } = usableCapacity([
    ...need.staying.map((g) => ({ ...g, socFraction: 0.5 })),
    { capacityAh: donorAh, socFraction: 0.5 },
  ]);
  const share = (typical.high - typical.low) / 4 / typical.value;
  return measured(balancedAh, share * balancedAh, typical.from, 0);
}

/**
 * Ranks donors for one place: compatible first, then by how near they are to the *rest of this pack*. A donor
 * better than the pack brings no range, so capacity above counts half of capacity below.
 */
export function rankDonors(donors: readonly DonorModule[], need: PackNeed, pack: Pack): MatchRow[] {
  const curve = ocvCurve(pack.profile.ocv);
  const cellsPerGroup =
    pack.groups.length === 0 ? 1 : pack.channels.reduce((s, c) => s + c.cells, 0) / pack.groups.length;
  const packV = curve.voltageAt(need.socFraction);
  const rows = donors.map((donor): MatchRow => {
    const { obstacles, asks: looksAsked } = mayGoIn(donor, need);
    const restV = donor.restVoltageV;
    const cellV = restV === null ? null : restV / donor.groupCount / cellsPerGroup;
    const typical = need.typicalCapacityAh;
    const donorAh = donor.capacityAh;
    const capacityDeviation = typical.measured && donorAh !== null ? donorAh / typical.value - 1 : null;
    const ohm = need.resistanceMilliohm;
    const resistanceDeviation =
      ohm.measured && donor.resistanceMilliohm !== null ? donor.resistanceMilliohm / ohm.value - 1 : null;
    const socFraction = cellV === null ? null : curve.socAt(cellV);
    const balanceAh =
      donorAh === null || socFraction === null ? null : donorAh * (need.socFraction - socFraction);
    const off = capacityDeviation ?? 0;
    const capacityTerm =
      donorAh === null ? NOT_MEASURED : (off < 0 ? -off : off / 2) / MATCH_TOLERANCE.capacity;
    const resistanceTerm =
      donor.resistanceMilliohm === null
        ? NOT_MEASURED
        : Math.abs(resistanceDeviation ?? 0) / MATCH_TOLERANCE.resistance;
    const balanceTerm =
      socFraction === null
        ? NOT_MEASURED
        : Math.abs(need.socFraction - socFraction) / MATCH_TOLERANCE.balanceShare;
    const distance = Math.hypot(capacityTerm, resistanceTerm, balanceTerm);
    const weakest = Math.min(...need.staying.map((g) => g.capacityAh));
    const remarks: string[] = [];
    const missing = [
      donorAh === null ? 'capacity' : '',
      donor.resistanceMilliohm === null ? 'resistance' : '',
      restV === null ? 'rest voltage' : '',
    ].filter(Boolean);
    if (missing.length > 0)
      remarks.push(
        `Not measured: ${missing.join(', ')}. Measure it on the bench before it is fitted; until then it ranks behind a near twin.`,
      );
    const age = need.asOf === undefined ? null : ageOfData(donor, donor.taken ?? {}, new Date(need.asOf));
    const asks = [...looksAsked, ...(age?.asks ?? [])];
    if (asks.length > 0) remarks.push(`To be asked or looked at: ${asks.join(', ')}.`);
    remarks.push(...(age?.old.map((o) => o.says) ?? []));
    if (!typical.measured)
      remarks.push(
        'The capacity of the rest of this pack is not measured: whether it fits in capacity is open.',
      );
    else if (donorAh !== null && donorAh < weakest * 0.995)
      remarks.push(
        `It would be the weakest in the pack: ${(weakest - donorAh).toFixed(1)} A·h below the weakest that stays.`,
      );
    else if (off > 0.08)
      remarks.push(
        'Much newer than the rest: it restores no more than a worn twin would, and may be worth more elsewhere.',
      );
    if (resistanceDeviation !== null && resistanceTerm > 1)
      remarks.push(
        `Resistance ${Math.abs(resistanceDeviation * 100).toFixed(0)} % ${resistanceDeviation > 0 ? 'above' : 'below'} the pack: ${resistanceDeviation > 0 ? 'it will sag first under load' : 'it will carry the pack'}.`,
      );
    if (
      need.temperatureC !== null &&
      donor.temperatureC !== null &&
      Math.abs(need.temperatureC - donor.temperatureC) > 5
    )
      remarks.push(
        `Measured ${Math.abs(need.temperatureC - donor.temperatureC).toFixed(0)} °C apart from the pack: measure the voltage again at the same temperature.`,
      );
    const ohmAtC = donor.taken?.resistanceMilliohm?.temperatureC ?? null;
    if (
      resistanceDeviation !== null &&
      need.temperatureC !== null &&
      ohmAtC !== null &&
      Math.abs(need.temperatureC - ohmAtC) > 5
    )
      remarks.push(
        `Its resistance was measured at ${ohmAtC.toFixed(0)} °C, the pack at ${need.temperatureC.toFixed(0)} °C: a colder cell shows more, so compare them at one temperature.`,
      );
    return {
      donor,
      fits: obstacles.length === 0,
      obstacles,
      capacityDeviation,
      resistanceDeviation,
      socFraction,
      voltageDeviationMv: cellV === null ? null : (cellV - packV) * 1000 * cellsPerGroup,
      balanceAh,
      usableAh: usableWith(donorAh, need),
      distance,
      remarks,
    };
  });
  return rows.sort((a, b) => Number(b.fits) - Number(a.fits) || a.distance - b.distance);
}
