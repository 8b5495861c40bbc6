import type { SpreadReport } from '@cellmend/core/diagnosis';
import { useState } from 'react';
import { useView } from '../../shell/useView';
import {
  CartesianGrid,
  Line,
  LineChart,
  ReferenceLine,
  ResponsiveContainer,
  Scatter,
  ScatterChart,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts';
import { usePicture } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Mute, Sheet } from '../../ui/parts';
import { Views } from '../../ui/Tabs';
import { temperature } from '../../ui/units';
import { duration, fixed, percent, signed } from '../../ui/words';
import { DeviationPicture } from '../scan/DeviationPicture';
import { Tilt } from './Tilt';
import { tiltReads } from './view';

const VIEWS = [
  ['tilt', 'Tilt'],
  ['ends', 'Ends'],
  ['time', 'Course'],
  ['neighbours', 'Neighbours'],
  ['warmth', 'Heat'],
] as const;
type View = (typeof VIEWS)[number][0];

/** The evidence behind the findings, as pictures: one at a time. */
export function Evidence({ report, scanIds }: { report: SpreadReport; scanIds: string[] }) {
  const { pack } = useJobView();
  const rested = report.nearFull !== null || report.nearEmpty !== null;
  const [asked, setView] = useView('evidence', VIEWS);
  // Without a rest there is no tilt: the course is shown until somebody asks for another.
  const view: View = asked === 'tilt' && !rested ? 'time' : asked;
  return (
    <Sheet as="figure" style={{ margin: 0, display: 'flex', flexDirection: 'column', gap: 6 }}>
      <Views of={VIEWS} value={view} onChange={setView} label="Evidence" />
      {view === 'tilt' && (
        <>
          <Mute>{tiltReads(report, pack)}</Mute>
          <Tilt report={report} />
        </>
      )}
      {view === 'ends' && <Ends report={report} />}
      {view === 'time' && <Through scanIds={scanIds} />}
      {view === 'neighbours' && <Neighbours report={report} scanIds={scanIds} />}
      {view === 'warmth' && <Warmth report={report} />}
    </Sheet>
  );
}

/** Near full against near empty, a point a channel. */
function Ends({ report }: { report: SpreadReport }) {
  const { pack, select } = useJobView();
  const { nearFull, nearEmpty } = report;
  if (!nearFull || !nearEmpty) return <Mute>It needs rests near full and near empty.</Mute>;
  const points = pack.channels.flatMap((c) => {
    const [full, empty] = [nearFull, nearEmpty].map((s) => s.channels[c.index]!.deviationMv);
    const odd = report.findings.some((f) => f.channelIndex === c.index);
    return full == null || empty == null ? [] : [{ id: c.id, index: c.index, full, empty, odd }];
  });
  const axis = { stroke: 'var(--mute)', fontSize: 12.5, tickFormatter: (v: number) => fixed(v, 0) };
  return (
    <>
      <Mute>
        Millivolts against the median at {percent(nearFull.medianSocFraction)} (across) and at{' '}
        {percent(nearEmpty.medianSocFraction)} (down). On the slanted line: a reading off by a constant.
        Straight down: capacity.
      </Mute>
      <ResponsiveContainer width="100%" height={280}>
        <ScatterChart margin={{ top: 10, right: 14, bottom: 4, left: 0 }}>
          <CartesianGrid stroke="var(--line)" />
          <XAxis type="number" dataKey="full" name="near full" unit=" mV" {...axis} />
          <YAxis type="number" dataKey="empty" name="near empty" unit=" mV" width={66} {...axis} />
          <ReferenceLine x={0} stroke="var(--edge)" />
          <ReferenceLine y={0} stroke="var(--edge)" />
          <Tooltip
            content={({ payload }) => {
              const p = payload?.[0]?.payload as (typeof points)[number] | undefined;
              return p ? (
                <Sheet>
                  <b>{p.id}</b>: {signed(p.full, 0)} mV near full, {signed(p.empty, 0)} mV near empty
                </Sheet>
              ) : null;
            }}
          />
          <Scatter
            data={points.filter((p) => !p.odd)}
            fill="var(--mat-text)"
            fillOpacity={0.6}
            isAnimationActive={false}
          />
          <Scatter
            data={points.filter((p) => p.odd)}
            fill="var(--sus)"
            shape="diamond"
            isAnimationActive={false}
            onClick={(p) =>
              select(pack.channels[(p.payload as (typeof points)[number]).index]!.moduleIndices[0] ?? null)
            }
          />
        </ScatterChart>
      </ResponsiveContainer>
    </>
  );
}

function Through({ scanIds }: { scanIds: string[] }) {
  const { job } = useJobView();
  const scans = job.scans.filter((s) => scanIds.includes(s.id));
  const [id, setId] = useState(scans[scans.length - 1]?.id);
  const { data } = usePicture(job.number, id);
  return (
    <>
      {scans.length > 1 && (
        <Views
          of={scans.map((s) => [s.id, s.name] as const)}
          value={id ?? ''}
          onChange={setId}
          label="Record"
        />
      )}
      {data && <DeviationPicture picture={data} height={270} />}
    </>
  );
}

/** One channel's deviation with those beside it: a tap wire moves two, a cell moves alone. */
function Neighbours({ report, scanIds }: { report: SpreadReport; scanIds: string[] }) {
  const { job, pack, selected } = useJobView();
  const { data } = usePicture(job.number, scanIds[scanIds.length - 1]);
  const own =
    selected === null
      ? undefined
      : report.findings.find((f) => pack.modules[selected]!.channelIndices.includes(f.channelIndex));
  const centre =
    own?.channelIndex ??
    (selected !== null ? pack.modules[selected]!.channelIndices[0] : undefined) ??
    report.findings[0]?.channelIndex ??
    0;
  if (!data) return null;
  const near = [centre - 1, centre, centre + 1].filter((c) => c >= 0 && c < pack.channels.length);
  const rows = data.timeS.map((t, b) => ({
    t: t / 60,
    ...Object.fromEntries(near.map((c) => [pack.channels[c]!.id, data.deviationMv[c]![b]])),
  }));
  return (
    <>
      <Mute>
        {pack.channels[centre]!.id} and its neighbours against the median. One up and one down by as much is
        the tap wire between them. Pick another on the pack map.
      </Mute>
      <ResponsiveContainer width="100%" height={270}>
        <LineChart data={rows} margin={{ top: 10, right: 12, bottom: 4, left: 0 }}>
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis
            dataKey="t"
            type="number"
            domain={['dataMin', 'dataMax']}
            tickFormatter={(v: number) => duration(v / 60)}
            stroke="var(--mute)"
            fontSize={12.5}
          />
          <YAxis
            width={66}
            unit=" mV"
            stroke="var(--mute)"
            fontSize={12.5}
            tickFormatter={(v: number) => fixed(v, 0)}
          />
          <ReferenceLine y={0} stroke="var(--edge)" />
          <Tooltip
            formatter={(v) => `${fixed(Number(v), 0)} mV`}
            labelFormatter={(v) => duration(Number(v) / 60)}
            contentStyle={{ background: 'var(--sheet)', border: '1px solid var(--line)' }}
          />
          {near.map((c) => (
            <Line
              key={c}
              dataKey={pack.channels[c]!.id}
              stroke={c === centre ? 'var(--sus)' : 'var(--mat-text)'}
              strokeWidth={c === centre ? 2.4 : 1.4}
              strokeDasharray={c === centre + 1 ? '5 3' : undefined}
              dot={false}
              isAnimationActive={false}
            />
          ))}
        </LineChart>
      </ResponsiveContainer>
    </>
  );
}

function Warmth({ report }: { report: SpreadReport }) {
  const t = report.temperature;
  if (!t) return <Mute>The record holds no temperature.</Mute>;
  return (
    <>
      <p>
        {temperature(t.medianC, 1)} in the middle.{' '}
        {t.comparable
          ? `Cells compare well between ${temperature(20)} and ${temperature(27)}.`
          : `Cells compare best between ${temperature(20)} and ${temperature(27)}: read the resistances with care.`}
      </p>
      {t.widestK !== null && (
        <p>
          Sensors at most {fixed(t.widestK, 1)} K apart{t.odd ? `; ${t.hottest} warms on its own.` : '.'}
        </p>
      )}
      <table>
        <tbody>
          {t.sensors.map((s) => (
            <tr key={s.name}>
              <td>{s.name}</td>
              <td className="n">
                {temperature(s.firstC, 1)} → {temperature(s.lastC, 1)}, at most {temperature(s.mostC, 1)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
