import type { SpreadReport } from '@cellmend/core/spread';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { fixed, percent } from '../../ui/words';

const Svg = styled.svg`
  width: 100%;
  flex: 1;
  min-height: 240px;
  text {
    font-family: 'Atkinson Hyperlegible Next Variable', sans-serif;
    font-size: 13px;
  }
`;
const W = 430;
const H = 320;
const X0 = 62;
const X1 = 330;

/** Round steps for an axis. */
function ticks(low: number, high: number): number[] {
  const raw = (high - low) / 4;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= raw)!;
  const out: number[] = [];
  for (let v = Math.ceil(low / step) * step; v <= high + 1e-9; v += step)
    out.push(Math.round(v / step) * step);
  return out;
}

/** Charge of every channel against the pack's median, from near full to near empty. */
export function Tilt({ report }: { report: SpreadReport }) {
  const { pack } = useJobView();
  const { tilt } = report;
  if (!tilt) return null;
  const all = [...tilt.from.deltaAh, ...tilt.to.deltaAh];
  const low = Math.min(-1, ...all) * 1.06;
  const high = Math.max(1, ...all) * 1.15;
  const y = (v: number): number => 16 + ((high - v) / (high - low)) * (H - 60);
  const suspect = new Map(report.findings.map((f) => [f.channelIndex, f]));
  const lines = tilt.from.deltaAh.map((from, i) => ({
    i,
    from,
    to: tilt.to.deltaAh[i]!,
    finding: suspect.get(i),
  }));
  const odd = lines.filter((l) => l.finding);
  // One label per module and verdict, at the lowest of its channels, kept apart.
  const labels = new Map<string, { at: number; text: string }>();
  for (const l of odd) {
    const module = l.finding!.module;
    const seen = labels.get(module);
    const many = odd.filter((o) => o.finding!.module === module).length > 1;
    if (!seen || l.to < seen.at)
      labels.set(module, {
        at: l.to,
        text:
          many && l.finding!.verdict !== 'low-capacity'
            ? module
            : `${module} · ${pack.channels[l.i]!.id.replace(/^\D*0*/, '')}`,
      });
  }
  const placed: { y: number; text: string }[] = [];
  for (const { at, text } of [...labels.values()].sort((a, b) => b.at - a.at)) {
    const want = y(at) + 5;
    const last = placed[placed.length - 1];
    placed.push({ y: last ? Math.max(want, last.y + 16) : want, text });
  }
  const near0 = placed.some((p) => Math.abs(p.y - (y(0) + 5)) < 15);
  return (
    <Svg
      viewBox={`0 0 ${W} ${H}`}
      role="img"
      aria-label="Charge of each channel against the pack's median near full and near empty"
    >
      {ticks(low, high).map((v) => (
        <g key={v}>
          <line
            x1={X0}
            x2={X1}
            y1={y(v)}
            y2={y(v)}
            stroke={v === 0 ? 'var(--ink)' : 'var(--line)'}
            strokeWidth={v === 0 ? 1.3 : 1}
          />
          <text x={X0 - 10} y={y(v) + 4} textAnchor="end" fill="var(--mute)">
            {v === 0 ? '0 A·h' : fixed(v, Math.abs(v) < 1 ? 1 : 0)}
          </text>
        </g>
      ))}
      {lines
        .filter((l) => !l.finding)
        .map((l) => (
          <line
            key={l.i}
            x1={X0}
            x2={X1}
            y1={y(l.from)}
            y2={y(l.to)}
            stroke="var(--mat-text)"
            strokeOpacity={0.22}
            strokeWidth={1.4}
          />
        ))}
      {odd.map((l) => (
        <g key={l.i}>
          <line
            x1={X0}
            x2={X1}
            y1={y(l.from)}
            y2={y(l.to)}
            stroke="var(--sus)"
            strokeWidth={l.finding!.verdict === 'low-capacity' ? 3 : 2}
            strokeDasharray={l.finding!.verdict === 'low-capacity' ? undefined : '7 4'}
          />
          {l.finding!.verdict === 'low-capacity' && (
            <rect x={X1 - 4} y={y(l.to) - 4} width={8} height={8} fill="var(--sus)" />
          )}
        </g>
      ))}
      {placed.map((p) => (
        <text key={p.text} x={X1 + 10} y={p.y} fontWeight={700} fill="var(--sus)">
          {p.text}
        </text>
      ))}
      {!near0 && (
        <text x={X1 + 10} y={y(0) + 5} fill="var(--mat-text)">
          the others
        </text>
      )}
      <text x={X0} y={H - 10} textAnchor="middle" fill="var(--mute)">
        near full, {percent(tilt.from.socFraction)}
      </text>
      <text x={X1} y={H - 10} textAnchor="middle" fill="var(--mute)">
        near empty, {percent(tilt.to.socFraction)}
      </text>
    </Svg>
  );
}
