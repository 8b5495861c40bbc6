import { CartesianGrid, Line, LineChart, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { shownTemperature, temperatureUnit } from '../../ui/units';

/** Temperature of a thermal watch over its time. */
export function WatchChart({ points }: { points: { timeS: number; temperatureC: number }[] }) {
  return (
    <ResponsiveContainer width="100%" height={120}>
      <LineChart
        data={points.map((p) => ({ ...p, temperatureC: shownTemperature(p.temperatureC) }))}
        margin={{ top: 6, right: 10, bottom: 0, left: 0 }}
      >
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="timeS"
          type="number"
          domain={['dataMin', 'dataMax']}
          tickFormatter={(t: number) => `${Math.round(t / 60)} min`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          width={56}
          unit={` ${temperatureUnit()}`}
          stroke="var(--mute)"
          fontSize={12.5}
          domain={['auto', 'auto']}
        />
        <Line dataKey="temperatureC" stroke="var(--sus)" isAnimationActive={false} />
      </LineChart>
    </ResponsiveContainer>
  );
}
