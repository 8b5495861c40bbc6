import type { ScanSummary } from '@cellmend/contract/jobs';
import type { Traces } from '@cellmend/contract/scanRoutes';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { useTraces } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Mute, Row } from '../../ui/parts';
import { momentIn, useZoom, Zoomable, ZoomBar, type Span } from '../../ui/zoom';

const COLOURS = ['var(--sus)', 'var(--mat-text)', 'var(--low)', 'var(--high)', 'var(--ink)', 'var(--mute)'];
const [LEFT, RIGHT] = [62, 12];

const endsOf = (traces: Traces | undefined): Span => ({
  from: Math.min(...(traces?.channels.map((c) => c.timeS[0] ?? Infinity) ?? [0])),
  to: Math.max(...(traces?.channels.map((c) => c.timeS.at(-1) ?? -Infinity) ?? [1])),
});

/** Volts of a few channels through a record, from all of it down to single readings; no peak is left out. */
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
  const { data: all } = useTraces(job, scan?.id, channels);
  const zoom = useZoom(endsOf(all));
  const { data: part } = useTraces(job, zoom.span ? scan?.id : undefined, channels, zoom.span);
  const data = zoom.span ? (part ?? all) : all;
  if (!data) return null;
  const { from, to } = zoom.span ?? zoom.whole;
  const at = new Map<number, Record<string, number>>();
  for (const c of data.channels)
    c.timeS.forEach((t, i) => {
      const row = at.get(t) ?? { t };
      row[pack.channels[c.channelIndex]!.id] = c.voltageV[i]!;
      at.set(t, row);
    });
  const rows = [...at.values()].sort((a, b) => a.t! - b.t!);
  const moment = momentIn(to - from);
  const stretch = Math.max(...data.channels.map((c) => c.stretch));
  return (
    <>
      <Row>
        <ZoomBar zoom={zoom} what="Which part of the record" />
        <Mute style={{ flex: 1 }}>
          {stretch > 1
            ? `Lowest and highest of every ${stretch} readings. Draw across to look closer.`
            : 'Every reading.'}
        </Mute>
      </Row>
      <Zoomable zoom={zoom} left={LEFT} right={RIGHT}>
        <ResponsiveContainer width="100%" height={220}>
          <LineChart data={rows} margin={{ top: 8, right: RIGHT, bottom: 2, left: 0 }}>
            <CartesianGrid stroke="var(--line)" vertical={false} />
            <XAxis
              dataKey="t"
              type="number"
              domain={[from, to]}
              allowDataOverflow
              tickFormatter={moment}
              stroke="var(--mute)"
              fontSize={12.5}
            />
            <YAxis
              domain={['auto', 'auto']}
              width={LEFT}
              tickFormatter={(v: number) => `${v.toFixed(2)} V`}
              stroke="var(--mute)"
              fontSize={12.5}
            />
            <Tooltip
              formatter={(v) => `${Number(v).toFixed(3)} V`}
              labelFormatter={(v) => moment(Number(v))}
              contentStyle={{ background: 'var(--sheet)', border: '1px solid var(--line)' }}
            />
            {data.channels.map((c, i) => (
              <Line
                key={c.channelIndex}
                dataKey={pack.channels[c.channelIndex]!.id}
                stroke={COLOURS[i % COLOURS.length]!}
                dot={false}
                connectNulls
                strokeWidth={1.8}
                isAnimationActive={false}
              />
            ))}
          </LineChart>
        </ResponsiveContainer>
      </Zoomable>
    </>
  );
}
