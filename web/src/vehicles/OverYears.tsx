import type { VehicleHistory } from '@cellmend/contract/jobs';
import { CartesianGrid, ErrorBar, ResponsiveContainer, Scatter, ScatterChart, XAxis, YAxis } from 'recharts';
import { day, fixed } from '../ui/words';

/** Capacity of a vehicle's pack over the years, each with its interval. Only what was measured is drawn. */
export function OverYears({ rows }: { rows: readonly VehicleHistory['measured'][number][] }) {
  const points = rows.flatMap((r) =>
    r.capacityAh
      ? [
          {
            at: Date.parse(r.at),
            ah: r.capacityAh.value,
            error: [r.capacityAh.value - r.capacityAh.low, r.capacityAh.high - r.capacityAh.value],
          },
        ]
      : [],
  );
  return (
    <ResponsiveContainer width="100%" height={230}>
      <ScatterChart margin={{ top: 12, right: 24, bottom: 4, left: 6 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="at"
          type="number"
          domain={['dataMin', 'dataMax']}
          padding={{ left: 40, right: 40 }}
          tickFormatter={(v: number) => day(new Date(v).toISOString())}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          dataKey="ah"
          domain={['auto', 'auto']}
          width={76}
          tickFormatter={(v: number) => `${fixed(v, 0)} A·h`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <Scatter data={points} fill="var(--mat-text)" isAnimationActive={false}>
          <ErrorBar dataKey="error" direction="y" stroke="var(--mute)" width={8} />
        </Scatter>
      </ScatterChart>
    </ResponsiveContainer>
  );
}
