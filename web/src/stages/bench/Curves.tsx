import type { Run } from '@cellmend/contract/bench';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { fixed } from '../../ui/words';

const DASH = ['', '6 4', '2 3', '8 3 2 3'];

/** Discharge of each cycle over the charge it gave: a step is a cell that ran empty. */
export function Curves({ runs }: { runs: readonly Run[] }) {
  const drawn = runs.filter((r) => r.course).slice(-4);
  const series = drawn.map((r) => {
    const { timeS, currentA, voltageV } = r.course!;
    let ah = 0;
    return timeS.flatMap((t, i) => {
      if (i > 0) ah += (Math.max(0, (currentA[i]! + currentA[i - 1]!) / 2) * (t - timeS[i - 1]!)) / 3600;
      return currentA[i]! > 0.02 ? [{ ah, v: voltageV[i]! }] : [];
    });
  });
  const all = series.flat();
  const low = Math.min(...all.map((p) => p.v), ...drawn.flatMap((r) => r.cutoffV ?? []));
  const high = Math.max(...all.map((p) => p.v));
  const cutoff = drawn.at(-1)?.cutoffV ?? null;
  return (
    <ResponsiveContainer width="100%" height={220}>
      <LineChart margin={{ top: 10, right: 16, bottom: 2, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="ah"
          type="number"
          domain={[0, Math.max(0.1, ...all.map((p) => p.ah))]}
          tickFormatter={(v: number) => `${fixed(v, 1)} A·h`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          domain={[Math.floor(low * 2) / 2, Math.ceil(high * 2) / 2]}
          width={56}
          tickFormatter={(v: number) => `${v.toFixed(1)} V`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        {cutoff !== null && <ReferenceLine y={cutoff} stroke="var(--mute)" strokeDasharray="3 3" />}
        {series.map((data, i) => {
          const newest = i === series.length - 1;
          return (
            <Line
              key={drawn[i]!.id}
              data={data}
              dataKey="v"
              dot={false}
              isAnimationActive={false}
              stroke={newest ? 'var(--mat-text)' : 'var(--sus)'}
              strokeWidth={newest ? 2.6 : 1.6}
              {...(newest ? {} : { strokeDasharray: DASH[(series.length - 1 - i) % DASH.length] || '6 4' })}
            />
          );
        })}
      </LineChart>
    </ResponsiveContainer>
  );
}
