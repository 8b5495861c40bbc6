import type { TestRow } from '@cellmend/core/insulation';
import {
  CartesianGrid,
  Line,
  LineChart,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from 'recharts';
import { fixed, ohms } from '../../ui/words';

const DASHES = [undefined, '6 3', '2 3', '8 3 2 3'];

/** Resistance through each test on a log axis, with the limit; the test voltage in the tooltip. */
export function SeriesChart({ tests, height = 176 }: { tests: readonly TestRow[]; height?: number }) {
  const shown = tests.slice(-4);
  const limit = Math.min(...shown.map((t) => t.result.leastOhm));
  const all = shown.flatMap((t) => t.points.flatMap((p) => (p.ohm === null ? [] : [p.ohm])));
  const low = 10 ** Math.floor(Math.log10(Math.max(1, Math.min(limit, ...all))));
  const high = 10 ** Math.ceil(Math.log10(Math.max(limit * 2, ...all)));
  const ticks: number[] = [];
  for (let v = low; v <= high; v *= 10) ticks.push(v);
  return (
    <ResponsiveContainer width="100%" height={height}>
      <LineChart margin={{ top: 10, right: 44, bottom: 0, left: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis
          dataKey="timeS"
          type="number"
          domain={[0, 'dataMax']}
          tickFormatter={(t: number) => `${fixed(t, 0)} s`}
          stroke="var(--mute)"
          fontSize={12.5}
          allowDuplicatedCategory={false}
        />
        <YAxis
          scale="log"
          domain={[low, high]}
          ticks={ticks.filter((_, i) => i % Math.ceil(ticks.length / 5) === 0)}
          tickFormatter={(v: number) => ohms(v)}
          width={66}
          stroke="var(--mute)"
          fontSize={12.5}
          allowDataOverflow
        />
        <ReferenceLine
          y={limit}
          stroke="var(--ink)"
          strokeDasharray="2 3"
          label={{ value: 'limit', position: 'right', fontSize: 12.5, fill: 'var(--ink)' }}
        />
        <Tooltip
          formatter={(v, name, item) => [
            `${ohms(Number(v))}, ${(item.payload as { voltageV: number | null }).voltageV ?? '–'} V`,
            name,
          ]}
          labelFormatter={(t) => `${fixed(Number(t), 0)} s`}
          contentStyle={{ background: 'var(--sheet)', border: '1px solid var(--line)' }}
        />
        {shown.map((t, i) => (
          <Line
            key={i}
            data={t.points.filter((p) => p.ohm !== null && p.ohm > 0)}
            dataKey="ohm"
            name={t.label}
            stroke={t.result.verdict === 'leak' ? 'var(--sus)' : 'var(--mat-text)'}
            strokeWidth={2.4}
            strokeDasharray={DASHES[i % DASHES.length]}
            dot={t.points.length < 8}
            isAnimationActive={false}
          />
        ))}
      </LineChart>
    </ResponsiveContainer>
  );
}
