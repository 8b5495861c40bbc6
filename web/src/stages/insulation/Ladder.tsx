import type { InsulationReport } from '@cellmend/core/insulation';
import type { Pack } from '@cellmend/core/pack';
import styled from 'styled-components';
import { fixed } from '../../ui/words';
import { useJobView } from '../../shell/jobContext';

const Svg = styled.svg`
  display: block;
  width: 100%;
  text {
    font-family: 'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace;
  }
  g[data-module] {
    cursor: pointer;
  }
`;
const WIDTH = 640;
const LEFT = 24;
const SPAN = WIDTH - 2 * LEFT;

/** The string as a ladder of volts: modules in order, how likely each is, and where the chassis sits. */
export function Ladder({
  pack,
  leak,
  example,
}: {
  pack: Pack;
  leak: InsulationReport | null;
  example?: number;
}) {
  const { select, selected } = useJobView();
  const n = pack.stringOrder.length;
  const step = SPAN / n;
  const gap = Math.min(4, step * 0.12);
  const packV = leak?.packV ?? 348;
  // Where nothing points at a leak no module is likelier than another: no bars.
  const unsuspected = leak?.suspected === false && leak.location === null;
  const chance = (m: number): number =>
    unsuspected ? 0 : (leak?.modules.find((k) => k.moduleIndex === m)?.probability ?? 0);
  const most = Math.max(0.05, ...pack.stringOrder.map(chance));
  const state = (m: number): string => leak?.modules.find((k) => k.moduleIndex === m)?.state ?? 'not split';
  const at =
    leak?.location?.fraction ??
    (example !== undefined ? { value: example, low: example - 0.03, high: example + 0.03 } : null);
  const ticks = Array.from({ length: 6 }, (_, i) => i / 5);
  const labels = step >= 34;
  return (
    <Svg
      viewBox={unsuspected ? `0 56 ${WIDTH} 92` : `0 -10 ${WIDTH} 158`}
      role="img"
      aria-label="The string with the likely place of the leak"
    >
      {pack.stringOrder.map((m, i) => {
        const x = LEFT + i * step + gap / 2;
        const w = step - gap;
        const h = (chance(m) / most) * 50;
        const s = state(m);
        const hit = s === 'suspect' || s === 'leak';
        return (
          <g key={m} data-module={m} onClick={() => select(m)}>
            {!unsuspected && (
              <rect x={x} y={62 - Math.max(1, h)} width={w} height={Math.max(1, h)} fill="var(--sus)" />
            )}
            <rect
              x={x}
              y={66}
              width={w}
              height={30}
              fill={s === 'clean' ? 'var(--zero)' : 'var(--sheet)'}
              stroke={hit ? 'var(--sus)' : selected === m ? 'var(--mat-text)' : 'var(--edge)'}
              strokeWidth={hit || selected === m ? 2.2 : 1}
            />
            {labels && (
              <text
                x={x + w / 2}
                y={86}
                textAnchor="middle"
                fontSize={step > 44 ? 13 : 11}
                fontWeight={hit ? 750 : 500}
                fill={s === 'clean' ? 'var(--mute)' : 'var(--ink)'}
              >
                {pack.modules[m]!.id}
              </text>
            )}
            {chance(m) >= 0.1 && labels && (
              <text x={x + w / 2} y={56 - h} textAnchor="middle" fontSize={12} fill="var(--sus)">
                {fixed(chance(m) * 100, 0)} %
              </text>
            )}
          </g>
        );
      })}
      <line x1={LEFT} x2={LEFT + SPAN} y1={122} y2={122} stroke="var(--ink)" strokeWidth={1.4} />
      {ticks.map((t) => (
        <g key={t}>
          <line x1={LEFT + t * SPAN} x2={LEFT + t * SPAN} y1={122} y2={127} stroke="var(--ink)" />
          <text
            x={LEFT + t * SPAN}
            y={142}
            textAnchor={t === 0 ? 'start' : t === 1 ? 'end' : 'middle'}
            fontSize={12}
            fill="var(--mute)"
          >
            {t === 0 ? '−' : t === 1 ? `+ ${fixed(packV, 0)} V` : `${fixed(t * packV, 0)} V`}
          </text>
        </g>
      ))}
      {example !== undefined && (
        <text x={LEFT} y={4} fontSize={13} fontWeight={700} fill="var(--mute)">
          An example, not this pack
        </text>
      )}
      {at && (leak?.trust.ok ?? true) && (
        <>
          <line
            x1={LEFT + at.low * SPAN}
            x2={LEFT + at.high * SPAN}
            y1={122}
            y2={122}
            stroke="var(--sus)"
            strokeWidth={8}
            strokeOpacity={0.35}
          />
          <path d={`M${LEFT + at.value * SPAN} 104l7 13h-14z`} fill="var(--sus)" />
          <text
            x={LEFT + at.value * SPAN + (at.value > 0.7 ? -12 : 12)}
            y={117}
            textAnchor={at.value > 0.7 ? 'end' : 'start'}
            fontSize={12.5}
            fontWeight={700}
            fill="var(--sus)"
          >
            chassis, {fixed(at.value * packV, 0)} V
          </text>
        </>
      )}
    </Svg>
  );
}
