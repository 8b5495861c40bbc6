import type { BalancePlan } from '@cellmend/core/balance';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { fixed } from '../../ui/words';

/** The rest voltage of the newcomer as charge moves, to its target. */
export function Course({
  plan,
  nowV,
  voltageAt,
}: {
  plan: BalancePlan;
  nowV: number;
  voltageAt: (soc: number) => number;
}) {
  const steps = 40;
  const rows = Array.from({ length: steps + 1 }, (_, i) => ({
    h: (plan.hours * i) / steps,
    v: voltageAt(plan.socNow + ((plan.socTarget - plan.socNow) * i) / steps),
  }));
  const low = Math.min(nowV, plan.targetModuleV);
  const high = Math.max(nowV, plan.targetModuleV);
  const pad = Math.max(0.05, (high - low) * 0.15);
  return (
    <ResponsiveContainer width="100%" height={190}>
      <LineChart data={rows} margin={{ top: 10, right: 70, bottom: 2, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="h"
          type="number"
          domain={[0, 'dataMax']}
          tickFormatter={(v: number) => `${fixed(v, 1)} h`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          domain={[low - pad, high + pad]}
          width={66}
          tickFormatter={(v: number) => `${v.toFixed(2)} V`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <ReferenceLine
          y={plan.targetModuleV}
          stroke="var(--mat-text)"
          strokeDasharray="5 4"
          label={{ value: 'target', position: 'right', fill: 'var(--mat-text)', fontSize: 13 }}
        />
        <Line dataKey="v" stroke="var(--mat-text)" dot={false} strokeWidth={2.4} isAnimationActive={false} />
      </LineChart>
    </ResponsiveContainer>
  );
}
