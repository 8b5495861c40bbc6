import { CLASS_B_V, mayHoldV, type LockoutContext } from '@cellmend/core/safety';
import { format } from 'date-fns';
import { Area, AreaChart, ReferenceDot, ReferenceLine, ResponsiveContainer, XAxis, YAxis } from 'recharts';
import { fixed } from '../../ui/words';

/** What the bus may hold at most, from the moment the disconnect came out; nothing is drawn without R and C. */
export function BleedCurve({
  context,
  startedMs,
  nowMs,
  endsMs,
}: {
  context: LockoutContext;
  startedMs: number;
  nowMs: number;
  endsMs: number;
}) {
  const { busBleederOhm, busCapacitanceF } = context.pack.profile;
  if (!busBleederOhm || !busCapacitanceF) return null;
  const span = (endsMs - startedMs) / 1000;
  const points = Array.from({ length: 61 }, (_, i) => {
    const t = (span * 1.08 * i) / 60;
    return { t, v: mayHoldV(context, t) };
  });
  const now = Math.min(span * 1.08, Math.max(0, (nowMs - startedMs) / 1000));
  return (
    <ResponsiveContainer width="100%" height={236}>
      <AreaChart data={points} margin={{ top: 14, right: 46, bottom: 0, left: 0 }}>
        <XAxis
          dataKey="t"
          type="number"
          domain={[0, span * 1.08]}
          ticks={[0, span]}
          tickFormatter={(t: number) => format(new Date(startedMs + t * 1000), 'HH:mm')}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <YAxis
          width={54}
          domain={[0, Math.ceil(context.packV / 50) * 50]}
          ticks={[0, Math.round(context.packV)]}
          tickFormatter={(v: number) => `${fixed(v, 0)} V`}
          stroke="var(--mute)"
          fontSize={12.5}
        />
        <Area
          dataKey="v"
          stroke="var(--mat-text)"
          strokeWidth={2.4}
          fill="var(--mat-soft)"
          isAnimationActive={false}
        />
        <ReferenceLine
          y={CLASS_B_V}
          stroke="var(--ink)"
          strokeDasharray="2 3"
          label={{ value: '60 V', position: 'right', fontSize: 12.5, fill: 'var(--ink)' }}
        />
        <ReferenceDot
          x={now}
          y={mayHoldV(context, now)}
          r={6}
          fill="var(--hot)"
          stroke="none"
          label={{
            value: `now at most ${fixed(mayHoldV(context, now), 0)} V`,
            position: now > span * 0.6 ? 'left' : 'right',
            fontSize: 13,
            fontWeight: 700,
            fill: 'var(--ink)',
          }}
        />
      </AreaChart>
    </ResponsiveContainer>
  );
}
