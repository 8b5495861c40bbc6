import type { Spread, SpreadReport, TiltEnd } from '@cellmend/core/diagnosis';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { fixed, percent } from '../../ui/words';

const Svg = styled.svg`
  width: 100%;
  flex: 1;
  min-height: 240px;
  max-height: 420px;
  text {
    font-family: 'Atkinson Hyperlegible Next Variable', sans-serif;
    font-size: var(--t-m);
  }
  /* Its letters are as large as the page's own, whatever the width. */
  max-width: 520px;
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

/**
 * Charge of every channel against the pack's median, from near full to near empty. Where only one end is recorded its
 * channels stand as points, and the other side says that it is missing.
 */
export function Tilt({ report }: { report: SpreadReport }) {
  const { pack } = useJobView();
  const end = (s: Spread | null): TiltEnd | null =>
    s && {
      socFraction: s.medianSocFraction,
      deltaSocFraction: s.channels.map((c) => c.deltaSocFraction),
    };
  // In ampere-hours where the capacity is measured, else in per cent of charge.
  const scale = report.capacityAh.measured ? report.capacityAh.value : 100;
  const unit = report.capacityAh.measured ? 'A·h' : '%';
  const from = report.tilt?.from ?? end(report.nearFull);
  const to = report.tilt?.to ?? end(report.nearEmpty);
  const scaled = (e: TiltEnd | null): (number | null)[] =>
    pack.channels.map((c) => {
      const share = e?.deltaSocFraction[c.index];
      return share == null ? null : share * scale;
    });
  const fromAt = scaled(from);
  const toAt = scaled(to);
  const all = [...fromAt, ...toAt].filter((v) => v !== null);
  const low = Math.min(-1, ...all) * 1.06;
  const high = Math.max(1, ...all) * 1.15;
  const y = (v: number): number => 16 + ((high - v) / (high - low)) * (H - 60);
  const suspect = new Map(report.findings.map((f) => [f.channelIndex, f]));
  const whole = from !== null && to !== null;
  // A channel that was not read at an end that is drawn has no line.
  const lines = pack.channels.flatMap(({ index: i }) => {
    const [a, b] = [from ? fromAt[i]! : toAt[i]!, to ? toAt[i]! : fromAt[i]!];
    return a === null || b === null ? [] : [{ i, from: a, to: b, finding: suspect.get(i) }];
  });
  const knownX = to ? X1 : X0;
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
          // A channel over several modules is named by them: there is no room for more.
          (many && l.finding!.verdict !== 'low-capacity') || module.includes(' + ')
            ? module
            : `${module} · ${pack.channels[l.i]!.id.replace(/^\D*0*/, '')}`,
      });
  }
  const placed: { y: number; text: string }[] = [];
  for (const { at, text } of [...labels.values()].sort((a, b) => b.at - a.at)) {
    const want = y(at) + 5;
    const last = placed[placed.length - 1];
    placed.push({ y: last ? Math.max(want, last.y + 18) : want, text });
  }
  // The last ones move up rather than over the words below the axis.
  for (let k = placed.length - 1, floor = y(low) + 4; k >= 0; k--, floor -= 18)
    if (placed[k]!.y > floor) placed[k]!.y = floor;
  const near0 = placed.some((p) => Math.abs(p.y - (y(0) + 5)) < 18);
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
            {v === 0 ? `0 ${unit}` : fixed(v, Math.abs(v) < 1 ? 1 : 0)}
          </text>
        </g>
      ))}
      {!whole && (
        <g fill="var(--mute)">
          {[from ? null : X0, to ? null : X1].map(
            (x) =>
              x !== null && (
                <rect
                  key={x}
                  // Beside the figures of the axis, not over them.
                  x={x === X0 ? X0 : X1 - 46}
                  y={16}
                  width={92}
                  height={H - 60}
                  fill="var(--ground)"
                  stroke="var(--edge)"
                  strokeDasharray="5 4"
                  rx={4}
                />
              ),
          )}
          {!from && <Missing x={X0 + 46} />}
          {!to && <Missing x={X1} />}
        </g>
      )}
      {!whole &&
        lines.map((l) => (
          <circle
            key={l.i}
            cx={knownX}
            cy={y(l.to)}
            r={l.finding ? 6 : 4}
            fill={l.finding ? 'var(--sus)' : 'var(--mat-text)'}
            fillOpacity={l.finding ? 1 : 0.35}
          />
        ))}
      {(whole ? lines : [])
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
      {(whole ? odd : []).map((l) => (
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
        <text key={p.text} x={knownX + 12} y={p.y} fontWeight={700} fill="var(--sus)">
          {p.text}
        </text>
      ))}
      {(from ?? to) && !near0 && (
        <text x={knownX + 12} y={y(0) + (whole ? 5 : -8)} fill="var(--mat-text)">
          the others
        </text>
      )}
      <text x={X0} y={H - 10} textAnchor="middle" fill="var(--mute)">
        near full{from && `, ${percent(from.socFraction)}`}
      </text>
      <text x={X1} y={H - 10} textAnchor="middle" fill="var(--mute)">
        near empty{to && `, ${percent(to.socFraction)}`}
      </text>
    </Svg>
  );
}

/** Stands where an end of the picture is not recorded. */
function Missing({ x }: { x: number }) {
  return (
    <text x={x} y={16 + (H - 60) / 2} textAnchor="middle">
      <tspan x={x} dy={-5}>
        no rest
      </tspan>
      <tspan x={x} dy={19}>
        recorded
      </tspan>
    </text>
  );
}
