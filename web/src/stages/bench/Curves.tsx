import type { Run, RunPart } from '@cellmend/contract/bench';
import { CartesianGrid, Line, LineChart, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import useSWR from 'swr';
import { get } from '../../api/client';
import { useJobView } from '../../shell/jobContext';
import { Mute, Row } from '../../ui/parts';
import { fixed } from '../../ui/words';
import { useZoom, Zoomable, ZoomBar, type Span } from '../../ui/zoom';
import { dischargeOf, timesOf } from './discharge';

const DASH = ['', '6 4', '2 3', '8 3 2 3'];
const [LEFT, RIGHT] = [56, 16];

/** Round figures from below the lowest to above the highest, five to ten of them. */
function steps(low: number, high: number): number[] {
  const least = Math.max(0.02, (high - low) / 6);
  const ten = 10 ** Math.floor(Math.log10(least));
  const step = [1, 2, 5, 10].map((k) => k * ten).find((k) => k >= least)!;
  const from = Math.floor(low / step);
  return Array.from({ length: Math.ceil(high / step) - from + 1 }, (_, i) => (from + i) * step);
}

/** Discharge of each cycle over the charge it gave: a step is a cell that ran empty. Closer, down to single readings. */
export function Curves({ runs }: { runs: readonly Run[] }) {
  const { job } = useJobView();
  const drawn = runs.filter((r) => r.course).slice(-4);
  const whole = drawn.map((r) => dischargeOf(r.course!));
  const zoom = useZoom({ from: 0, to: Math.max(0.1, ...whole.flat().map((p) => p.ah)) });
  const asked = zoom.span
    ? drawn.flatMap((r, k) => {
        const span = r.sha256 ? timesOf(r.course!, zoom.span!) : null;
        return span ? [{ k, id: r.id, span }] : [];
      })
    : [];
  const path = ({ id, span }: { id: string; span: Span }): string =>
    `/jobs/${job.number}/bench/runs/${id}/course?fromS=${span.from.toFixed(2)}&toS=${span.to.toFixed(2)}`;
  const { data: parts } = useSWR<RunPart[]>(
    asked.length > 0 ? asked.map(path) : null,
    (paths: string[]) => Promise.all(paths.map((p) => get<RunPart>(p))),
    { keepPreviousData: true },
  );
  const series = whole.map((coarse, k) => {
    const i = asked.findIndex((a) => a.k === k);
    const part = i >= 0 ? parts?.[i] : undefined;
    return part && asked.length === parts?.length ? dischargeOf(part, drawn[k]!.course!) : coarse;
  });
  const stretch = Math.max(0, ...(zoom.span ? (parts ?? []).map((p) => p.stretch) : []));
  const { from, to } = zoom.span ?? zoom.whole;
  const inSight = series.flat().filter((p) => p.ah >= from && p.ah <= to);
  const low = Math.min(
    ...inSight.map((p) => p.v),
    ...(zoom.span ? [] : drawn.flatMap((r) => r.cutoffV ?? [])),
  );
  const high = Math.max(...inSight.map((p) => p.v));
  const cutoff = drawn.at(-1)?.cutoffV ?? null;
  const marks = steps(low, high);
  return (
    <>
      <Row>
        <ZoomBar zoom={zoom} what="Which part of the discharge" />
        <Mute style={{ flex: 1 }}>{stretch === 1 ? 'Every reading.' : 'Draw across to look closer.'}</Mute>
      </Row>
      <Zoomable zoom={zoom} left={LEFT} right={RIGHT}>
        <ResponsiveContainer width="100%" height={220}>
          <LineChart margin={{ top: 10, right: RIGHT, bottom: 2, left: 0 }}>
            <CartesianGrid stroke="var(--line)" vertical={false} />
            <XAxis
              dataKey="ah"
              type="number"
              domain={[from, to]}
              allowDataOverflow
              tickFormatter={(v: number) => `${fixed(v, to - from < 1 ? 3 : 1)} A·h`}
              stroke="var(--mute)"
              fontSize={12.5}
            />
            <YAxis
              domain={[marks[0]!, marks.at(-1)!]}
              ticks={marks}
              interval={0}
              width={LEFT}
              tickFormatter={(v: number) => `${v.toFixed(marks[1]! - marks[0]! < 0.1 ? 2 : 1)} V`}
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
                  {...(newest
                    ? {}
                    : { strokeDasharray: DASH[(series.length - 1 - i) % DASH.length] || '6 4' })}
                />
              );
            })}
          </LineChart>
        </ResponsiveContainer>
      </Zoomable>
    </>
  );
}
