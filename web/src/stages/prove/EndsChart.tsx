import { Bar, BarChart, CartesianGrid, LabelList, Legend, ResponsiveContainer, XAxis, YAxis } from 'recharts';

/** Delta near full and near empty, before and after. */
export function EndsChart({ bars }: { bars: object[] }) {
  return (
    <ResponsiveContainer width="100%" height={250}>
      <BarChart data={bars} margin={{ top: 18, right: 8, left: 0, bottom: 0 }}>
        <CartesianGrid stroke="var(--line)" vertical={false} />
        <XAxis dataKey="end" stroke="var(--mute)" fontSize={13} />
        <YAxis width={64} tickFormatter={(v: number) => `${v} mV`} stroke="var(--mute)" fontSize={12.5} />
        <Legend
          itemSorter={null}
          formatter={(v: string) => <span style={{ color: 'var(--ink)' }}>{v}</span>}
        />
        <Bar dataKey="before" fill="var(--sus)" isAnimationActive={false}>
          <LabelList dataKey="before" position="top" fill="var(--ink)" fontSize={13} />
        </Bar>
        <Bar dataKey="after" fill="var(--mat-text)" isAnimationActive={false}>
          <LabelList dataKey="after" position="top" fill="var(--ink)" fontSize={13} />
        </Bar>
      </BarChart>
    </ResponsiveContainer>
  );
}
