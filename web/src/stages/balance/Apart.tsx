import type { BalancePlan } from '@cellmend/core/balance';
import { DataTable, Sheet } from '../../ui/parts';
import { fixed, percent, signed } from '../../ui/words';

/** Where the newcomer stands, where it has to stand, and what lies between. */
export function Apart({ plan, nowV, groups }: { plan: BalancePlan; nowV: number; groups: number }) {
  return (
    <Sheet>
      <DataTable>
        <tbody>
          <tr>
            <td>Now</td>
            <td className="r">{fixed(nowV, 2)} V</td>
            <td className="r">{percent(plan.socNow, 1)}</td>
          </tr>
          <tr>
            <td>Target at rest</td>
            <td className="r">{fixed(plan.targetModuleV, 2)} V</td>
            <td className="r">{percent(plan.socTarget, 1)}</td>
          </tr>
          <tr>
            <td>Apart now, per group</td>
            <td className="r">{signed(((plan.targetModuleV - nowV) / groups) * 1000, 0)} mV</td>
            <td className="r">{signed((plan.direction === 'discharge' ? -1 : 1) * plan.chargeAh, 1)} A·h</td>
          </tr>
          <tr>
            <td>Supply limit while it runs</td>
            <td className="r">{fixed(plan.supplyLimitV, 2)} V</td>
            <td />
          </tr>
        </tbody>
      </DataTable>
    </Sheet>
  );
}
