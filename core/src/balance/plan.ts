import { judgeVoltage, limitOf, limitValue, ocvCurve, OUT_OF_BOUNDS, type Pack } from '../pack';
import { InputProblem } from '../problem';
import { chargeToCount } from '../diagnosis/cell/typicalCell';

/** Where the newcomer shall be level with the others: now, at rest, or when the pack is full. */
export type BalanceGoal = 'level-now' | 'level-when-full';

export interface BalanceInput {
  /** Groups of the newcomer and its rested module voltage, V. */
  groupCount: number;
  moduleRestVoltageV: number;
  /** Null where nobody measured it: then the rated one bounds what is to move, and nothing more is told. */
  newcomerCapacityAh: number | null;
  packSocFraction: number;
  /** Null where no reading measured it: level when full cannot be computed then. */
  packCapacityAh: number | null;
  currentA: number;
  bleederMilliamp: number;
  goal: BalanceGoal;
}

export interface BalancePlan {
  direction: 'charge' | 'discharge' | 'none';
  socNow: number;
  socTarget: number;
  /** Charge per group to move; the groups are in series, so it is the module's charge too. A·h, always positive. */
  chargeAh: number;
  /** The newcomer's capacity was not measured: charge and hours are the most it can be, by the rated one. */
  atMost: boolean;
  /** ± from 2 mV of reading and the curve's slope, A·h. */
  chargeHalfWidthAh: number;
  targetModuleV: number;
  hours: number;
  /** How long the pack's own bleeders would take, and which groups would have to bleed. */
  bleederHours: number;
  bleederBurns: 'the newcomer' | 'all the others';
  /** Set the source to this: the target, never above the chemistry's limit. */
  supplyLimitV: number;
  remarks: string[];
}

/** A reading is trusted to ±2 mV per cell when rested. From memory. */
const READING_V = 0.002;

/**
 * How much charge brings a rested newcomer level, and how long that takes at a chosen current and on bleeders.
 * @throws InputProblem for a current, capacity or voltage that cannot be.
 */
export function planBalance(input: BalanceInput, pack: Pack): BalancePlan {
  const { groupCount, currentA, bleederMilliamp, packCapacityAh, packSocFraction, goal } = input;
  const atMost = input.newcomerCapacityAh === null;
  const newcomerCapacityAh = input.newcomerCapacityAh ?? pack.profile.ratedCapacityAh;
  if (!(currentA > 0))
    throw new InputProblem('current', `${currentA} A moves no charge.`, 'current', 'A current above 0 A.');
  if (!(bleederMilliamp > 0))
    throw new InputProblem(
      'bleeder',
      `${bleederMilliamp} mA bleeds nothing.`,
      'bleeder current',
      'A current above 0 mA; 20 to 150 mA is usual.',
    );
  if (atMost && goal === 'level-when-full')
    throw new InputProblem(
      'capacity',
      'The capacity of the newcomer is not measured: what makes it level when full cannot be computed.',
      'goal',
      'Level now, near full; or a full discharge of it on the bench.',
    );
  if (packCapacityAh === null && goal === 'level-when-full')
    throw new InputProblem(
      'capacity',
      'The capacity of the pack is not measured: what makes it level when full cannot be computed.',
      'goal',
      `Level now, near full; or a log of a drive or charge that counts at least ${Math.round(100 * chargeToCount(pack.profile.chemistry))} % of charge.`,
    );
  if (!(newcomerCapacityAh > 0) || (packCapacityAh !== null && !(packCapacityAh > 0)))
    throw new InputProblem(
      'capacity',
      'A capacity is missing or not above zero.',
      'capacity',
      'Measured capacity in A·h.',
    );
  const curve = ocvCurve(pack.profile.ocv);
  const cellsPerGroup = pack.channels.reduce((s, c) => s + c.cells, 0) / pack.groups.length;
  const cells = groupCount * cellsPerGroup;
  const cellV = input.moduleRestVoltageV / cells;
  const judged = judgeVoltage(pack.profile, cells, input.moduleRestVoltageV);
  const emptyV = limitValue(pack.profile, 'cellEmptyV');
  const fullCellV = limitValue(pack.profile, 'cellFullV');
  if (OUT_OF_BOUNDS.has(judged.state))
    throw new InputProblem(
      'module-voltage',
      judged.says,
      'module voltage',
      `${(emptyV * cells).toFixed(1)} to ${(fullCellV * cells).toFixed(1)} V for ${groupCount} groups. What is over-discharged or over-charged is not balanced.`,
    );
  const socNow = curve.socAt(cellV);
  const socTarget =
    goal === 'level-now'
      ? packSocFraction
      : 1 - (packCapacityAh! / newcomerCapacityAh) * (1 - packSocFraction);
  const signedAh = newcomerCapacityAh * (socTarget - socNow);
  const [nowLow, nowHigh] = curve.socInterval(cellV, READING_V);
  const targetV = curve.voltageAt(socTarget);
  const [targetLow, targetHigh] = curve.socInterval(targetV, READING_V);
  const chargeHalfWidthAh =
    newcomerCapacityAh * Math.hypot((nowHigh - nowLow) / 2, (targetHigh - targetLow) / 2);
  const chargeAh = Math.abs(signedAh);
  const direction = chargeAh < 0.002 * newcomerCapacityAh ? 'none' : signedAh > 0 ? 'charge' : 'discharge';
  const remarks: string[] = [];
  if (atMost)
    remarks.push(
      `What the newcomer holds is not measured: charge and time are the most they can be, as if it held the rated ${newcomerCapacityAh} A·h. The target voltage holds whatever it holds.`,
    );
  if (socTarget < 0 || socTarget > 1)
    remarks.push(
      'Level when full cannot be reached from here: the newcomer would have to be beyond its limits. Bring the pack nearer to full first.',
    );
  if (chargeHalfWidthAh > Math.max(0.25 * chargeAh, 0.01 * newcomerCapacityAh))
    remarks.push(
      `The curve is flat here: voltage tells the charge only to ± ${chargeHalfWidthAh.toFixed(1)} A·h. Balance near full instead.`,
    );
  const most = limitOf(pack.profile, signedAh > 0 ? 'chargeMostA' : 'dischargeMostA');
  if (most && currentA > most.value)
    throw new InputProblem(
      'current',
      `${currentA} A is more than the ${most.value} A that the maker allows.`,
      'current',
      `At most ${most.value} A.`,
    );
  if (currentA > newcomerCapacityAh)
    remarks.push(`${currentA} A is more than 1 C for this module: stay within the maker's limit.`);
  return {
    direction,
    socNow,
    socTarget,
    chargeAh,
    atMost,
    chargeHalfWidthAh,
    targetModuleV: targetV * cells,
    hours: chargeAh / currentA,
    bleederHours: (chargeAh / bleederMilliamp) * 1000,
    bleederBurns: signedAh > 0 ? 'all the others' : 'the newcomer',
    supplyLimitV: Math.min(
      direction === 'charge' ? targetV * cells : curve.voltageAt(socNow) * cells,
      fullCellV * cells,
    ),
    remarks,
  };
}
