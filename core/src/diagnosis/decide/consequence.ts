import { factsOf, limitValue, type Measured, type Pack } from '../../pack';
import type { ChannelFinding } from '../verdict';

/** Drift at which a channel begins to cost range and to set faults: twice what matters by chemistry. Common practice, no source. */
const DRIFT = 2;

/**
 * What a finding does to the vehicle, in words: days until it has drifted, volts it sags more at a current of the rated
 * capacity in an hour, how far a wrong reading moves the vehicle's own limits. Only figures that the record measures;
 * charge and range stand beside the finding as costs.
 */
export function consequenceOf(
  f: Pick<ChannelFinding, 'verdict' | 'estimate' | 'seat'>,
  {
    pack,
    channelIndex,
    capacityAh,
    resistanceMilliohm,
  }: { pack: Pack; channelIndex: number; capacityAh: Measured; resistanceMilliohm: Measured },
): string {
  const { estimate: e } = f;
  const { cells } = pack.channels[channelIndex]!;
  switch (f.verdict) {
    case 'high-resistance': {
      if (e.resistanceRatio === undefined || !resistanceMilliohm.measured) return '';
      const more = (e.resistanceRatio - 1) * resistanceMilliohm.value;
      const atA = pack.profile.ratedCapacityAh;
      const watt = (more / 1000) * atA * atA;
      return `At ${atA.toFixed(0)} A it sags about ${(more * atA).toFixed(0)} mV more than the others and makes about ${watt.toFixed(1)} W of heat ${f.seat === 'cell' ? 'in the cell' : 'in a joint or the cell'}.`;
    }
    case 'self-discharge': {
      if (!e.leakageMilliamp || e.leakageMilliamp <= 0 || !capacityAh.measured) return '';
      const share = DRIFT * factsOf(pack.profile.chemistry).matters.socFraction;
      const days = (share * capacityAh.value * 1000) / (24 * e.leakageMilliamp);
      return `After about ${days < 2 ? 'a day' : `${Math.round(days)} days`} of standing it lies ${(100 * share).toFixed(0)} % of charge below the others.`;
    }
    case 'sense-fault': {
      if (e.offsetMillivolt === undefined) return '';
      const mv = Math.round(Math.abs(e.offsetMillivolt));
      const low = limitValue(pack.profile, 'cellEmptyV') * cells;
      const high = limitValue(pack.profile, 'cellFullV') * cells;
      return e.offsetMillivolt > 0
        ? `Reads high: the vehicle ends a charge ${mv} mV early, and lets this one go to ${(low - mv / 1000).toFixed(2)} V where ${low.toFixed(2)} V is empty.`
        : `Reads low: the vehicle stops a drive ${mv} mV early, and would charge this one to ${(high + mv / 1000).toFixed(2)} V where ${high.toFixed(2)} V is full.`;
    }
    case 'imbalance':
      return e.deltaSocPct === undefined
        ? ''
        : e.deltaSocPct < 0
          ? 'It is empty first; the others are charged before it is full.'
          : 'It is full first and ends every charge.';
    case 'low-capacity':
      return 'It is empty first and full first: both ends of the pack go by it.';
    default:
      return '';
  }
}
