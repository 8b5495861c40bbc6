import type { ScanSummary } from '@cellmend/contract/jobs';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { useTraces } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';

const COLOURS = ['var(--sus)', 'var(--mat-text)', 'var(--low)', 'var(--high)', 'var(--ink)', 'var(--mute)'];

/** Volts of a few channels through a record. */
export function Trace({
  job,
  scan,
  channels,
}: {
  job: number;
  scan: ScanSummary | undefined;
  channels: number[];
}) {
  const { pack } = useJobView();
  const { data } = useTraces(job, scan?.id, channels);
  if (!data) return null;
  const rows = data.timeS.map(
    (t, i) =>
      Object.fromEntries([
        ['t', t / 60],
        ...data.channels.map((c) => [pack.channels[c.channelIndex]!.id, c.voltageV[i]]),
      ]) as Record<string, number>,
  );
  return (
    <ResponsiveContainer width="100%" height={220}>
      <LineChart data={rows} margin={{ top: 8, right: 12, bottom: 2, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="t"
          type="number"
          domain={['dataMin', 'dataMax']}
          tickFormatter={(v: number) => `${Math.round(v)} min`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          domain={['auto', 'auto']}
          width={62}
          tickFormatter={(v: number) => `${v.toFixed(2)} V`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <Tooltip
          formatter={(v) => `${Number(v).toFixed(3)} V`}
          labelFormatter={(v) => `${Math.round(Number(v))} min`}
          contentStyle={{ background: 'var(--sheet)', border: '1px solid var(--line)' }}
        />
        {data.channels.map((c, i) => (
          <Line
            key={c.channelIndex}
            dataKey={pack.channels[c.channelIndex]!.id}
            stroke={COLOURS[i % COLOURS.length]!}
            dot={false}
            strokeWidth={1.8}
            isAnimationActive={false}
          />
        ))}
      </LineChart>
    </ResponsiveContainer>
  );
}
