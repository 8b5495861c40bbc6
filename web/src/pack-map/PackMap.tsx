import type { Pack } from '@cellmend/core/pack';
import { memo, useMemo, useRef, type KeyboardEvent } from 'react';
import styled from 'styled-components';
import { coverBoxes, drawPack, neighbour, type ModuleMark, type Box, type Layer } from './view';

const Svg = styled.svg`
  flex: none;
  width: 100%;
  height: auto;
  display: block;
  user-select: none;
  text {
    font-family: 'Atkinson Hyperlegible Next Variable', sans-serif;
  }
  [role='option'] {
    cursor: pointer;
    outline: none;
  }
  [role='option']:focus-visible .frame {
    stroke: var(--mat-text);
    stroke-width: 4;
  }
`;

/** Colour of a slice on the diverging scale: brown is low, blue is high, pale is level. */
function fill(scale: number | null): string {
  if (scale === null) return 'transparent';
  const share = Math.round(Math.min(1, Math.abs(scale)) * 100);
  return `color-mix(in oklab, ${scale < 0 ? 'var(--low)' : 'var(--high)'} ${share}%, var(--zero))`;
}

interface Props {
  pack: Pack;
  layer: Layer;
  selected: number | null;
  onSelect: (module: number) => void;
  height?: number;
}

/** The pack as it lies in the vehicle: every module with its groups as slices, one layer of marks at a time. */
export const PackMap = memo(function PackMap({ pack, layer, selected, onSelect, height = 570 }: Props) {
  const drawing = useMemo(() => drawPack(pack, 340, height), [pack, height]);
  const ref = useRef<SVGSVGElement>(null);
  const focused = selected ?? pack.stringOrder[0] ?? 0;
  const onKeyDown = (event: KeyboardEvent): void => {
    if (
      event.key !== 'ArrowUp' &&
      event.key !== 'ArrowDown' &&
      event.key !== 'ArrowLeft' &&
      event.key !== 'ArrowRight'
    )
      return;
    event.preventDefault();
    const next = neighbour(drawing, focused, event.key);
    onSelect(next);
    ref.current?.querySelector<SVGGElement>(`[data-module="${next}"]`)?.focus();
  };
  return (
    <Svg
      ref={ref}
      viewBox={`${layer.covers ? -9 : -2} 0 ${drawing.width + (layer.covers ? 18 : 4)} ${drawing.height}`}
      role="listbox"
      aria-label="Pack map"
      onKeyDown={onKeyDown}
    >
      {drawing.titles.map((t) => (
        <text key={t.text} x={0} y={t.y} fontSize={13} fill="var(--mute)" role="presentation">
          {t.text}
        </text>
      ))}
      <path
        d={drawing.path}
        fill="none"
        stroke="var(--mat-text)"
        strokeOpacity={0.45}
        strokeWidth={2}
        aria-hidden
      />
      {drawing.boxes.map((box) => (
        <ModuleBox
          key={box.module}
          pack={pack}
          box={box}
          layer={layer}
          selected={selected === box.module}
          tabbable={focused === box.module}
          onSelect={onSelect}
        />
      ))}
      {layer.whole && (
        // Beside the options and not in them: what a module is called stays its name alone.
        <g aria-hidden pointerEvents="none">
          {drawing.boxes.map((box) => (
            <WholeMark key={box.module} box={box} mark={layer.modules.get(box.module)} />
          ))}
        </g>
      )}
      {layer.covers && (
        <g aria-hidden pointerEvents="none">
          {coverBoxes(drawing, pack, layer.covers).map(({ steps, x, y, w, h }) => (
            <rect
              key={`${x},${y},${w},${h}`}
              x={x}
              y={y}
              width={w}
              height={h}
              rx={4}
              fill="none"
              stroke={steps === '' ? 'var(--edge)' : 'var(--ink)'}
              strokeWidth={steps === '' ? 1 : 1.8}
            />
          ))}
          {coverBoxes(drawing, pack, layer.covers)
            .filter(({ steps }) => steps !== '')
            .map(({ steps, outer, x, y, w, h }) => (
              // Over every line: what lies outermost is numbered at its upper right corner, the rest at the lower.
              <g
                key={`${x},${y},${w},${h}`}
                transform={`translate(${x + w - 9 - 6.6 * steps.length} ${outer ? y : y + h})`}
              >
                <rect y={-8} width={9 + 6.6 * steps.length} height={16} rx={4} fill="var(--ink)" />
                <text x={4.5} y={4.2} fontSize={11.5} fontWeight={700} fill="var(--ground)">
                  {steps}
                </text>
              </g>
            ))}
        </g>
      )}
      {drawing.links
        .filter((l) => layer.links?.next.includes(l.id) || layer.links?.out.includes(l.id))
        .map((l) => {
          const next = layer.links!.next.includes(l.id);
          const [w, h] = l.across ? [10, 34] : [44, 10];
          return (
            <rect
              key={l.id}
              x={l.x - w / 2}
              y={l.y - h / 2}
              width={w}
              height={h}
              fill={next ? 'var(--ink)' : 'var(--rail)'}
              stroke="var(--ink)"
              strokeDasharray={next ? undefined : '3 2'}
              aria-hidden
            />
          );
        })}
      {!layer.links &&
        drawing.disconnects.map((d) => (
          <rect
            key={`${d.x},${d.y}`}
            x={d.x - 5}
            y={d.y - 11}
            width={10}
            height={22}
            rx={2}
            fill="var(--hot)"
            aria-hidden
          />
        ))}
    </Svg>
  );
});

function ModuleBox({
  pack,
  box,
  layer,
  selected,
  tabbable,
  onSelect,
}: {
  pack: Pack;
  box: Box;
  layer: Layer;
  selected: boolean;
  tabbable: boolean;
  onSelect: (m: number) => void;
}) {
  const module = pack.modules[box.module]!;
  const mark = layer.modules.get(box.module);
  const state = mark?.state ?? 'plain';
  const { x, y, w, h } = box;
  const suspect = state === 'suspect';
  const notch = Math.min(12, h / 3);
  const outline =
    suspect || state === 'condemned'
      ? `M${x + notch} ${y}H${x + w}V${y + h}H${x}V${y + notch}Z`
      : `M${x} ${y}H${x + w}V${y + h}H${x}Z`;
  const narrow = w < 90;
  const labelW = nameWidth(w);
  const top = narrow ? Math.min(18, h * 0.45) : 6;
  // Where the groups would be too thin to see, one slice stands for each channel of the module.
  const tooThin = (w - labelW - 10) / module.groupIndices.length < 5;
  const groups = tooThin
    ? module.channelIndices.map((c) => module.groupIndices.find((g) => pack.groups[g]!.channelIndex === c)!)
    : module.groupIndices;
  const slice = (w - labelW - 10) / groups.length;
  const ends = {
    negative: pack.stringOrder[0] === box.module,
    positive: pack.stringOrder[pack.stringOrder.length - 1] === box.module,
  };
  const unknown = groups.some((g) => layer.groups.get(pack.groups[g]!.channelIndex)?.unknown);
  const words = [
    module.id,
    mark?.text ?? '',
    suspect ? 'suspect' : state === 'plain' ? '' : state,
    unknown ? 'not known' : '',
    mark?.at === 'work' ? 'runs on the bench' : mark?.at === 'waits' ? 'interrupted on the bench' : '',
    ends.negative ? 'negative end' : '',
    ends.positive ? 'positive end' : '',
  ]
    .filter(Boolean)
    .join(', ');
  return (
    <g
      role="option"
      aria-selected={selected}
      aria-label={words}
      tabIndex={tabbable ? 0 : -1}
      data-module={box.module}
      onClick={() => onSelect(box.module)}
      onFocus={() => !selected && onSelect(box.module)}
    >
      <path
        className="frame"
        d={outline}
        fill={
          mark?.tone === 'hot' ? 'var(--hot-soft)' : mark?.tone === 'clean' ? 'var(--zero)' : 'var(--sheet)'
        }
        stroke={
          suspect || state === 'condemned'
            ? 'var(--sus)'
            : selected
              ? 'var(--mat-text)'
              : mark?.tone === 'hot'
                ? 'var(--hot)'
                : 'var(--edge)'
        }
        strokeWidth={suspect || selected ? 2.6 : 1}
        strokeDasharray={mark?.tone === 'open' && !suspect && !selected ? '3 3' : undefined}
      />
      {state === 'replaced' && (
        <rect
          x={x + 3}
          y={y + 3}
          width={w - 6}
          height={h - 6}
          fill="none"
          stroke="var(--mat-text)"
          strokeWidth={1.6}
        />
      )}
      {state === 'condemned' && (
        <path
          d={Array.from(
            { length: Math.ceil(w / 9) },
            (_, i) =>
              `M${x + i * 9} ${y + h}L${Math.min(x + w, x + i * 9 + h * 0.6)} ${y + h - Math.min(h, (x + w - x - i * 9) / 0.6)}`,
          ).join('')}
          stroke="var(--sus)"
          strokeWidth={1}
        />
      )}
      {!layer.whole &&
        groups.map((g, i) => {
          const mark = layer.groups.get(pack.groups[g]!.channelIndex);
          const dotted = !mark || mark.scale === null;
          return (
            <g key={g}>
              <rect
                x={x + labelW + 5 + i * slice}
                y={y + top}
                width={Math.max(1, slice - (slice > 6 ? 3 : 0.6))}
                height={h - top - 6}
                rx={1}
                fill={fill(mark?.scale ?? null)}
                stroke={dotted ? 'var(--edge)' : 'none'}
                strokeDasharray={dotted ? '2 2' : undefined}
              />
              {mark?.unknown && (
                <text
                  aria-hidden
                  x={x + labelW + 5 + i * slice + (slice - 3) / 2}
                  y={y + top + (h - top - 6) / 2 + 6}
                  fontSize={16}
                  fontWeight={700}
                  textAnchor="middle"
                  fill="var(--ink)"
                >
                  ?
                </text>
              )}
            </g>
          );
        })}
      {mark?.at && (
        <AtBench at={mark.at} x={narrow ? x + w / 2 : x + labelW + 12} y={narrow ? y + 24 : y + h / 2} />
      )}
      <text
        aria-hidden
        x={x + (w < 24 ? 1.5 : narrow ? 4 : suspect ? 11 : 8)}
        y={narrow ? y + 13 : y + h / 2 + 5}
        fontSize={w < 24 ? 8.5 : narrow ? 11.5 : 14}
        fontWeight={suspect || selected ? 750 : 500}
        fill={suspect ? 'var(--sus)' : 'var(--ink)'}
      >
        {module.id}
      </text>
      {(ends.negative || ends.positive) && !narrow && (
        <text
          aria-hidden
          x={x + labelW - 4}
          y={y + h / 2 + 5}
          fontSize={14}
          fontWeight={750}
          textAnchor="end"
          fill="var(--mat-text)"
        >
          {ends.negative ? '−' : '+'}
        </text>
      )}
    </g>
  );
}

/** It runs: a triangle; it was interrupted and waits: two bars. */
function AtBench({ at, x, y }: { at: 'work' | 'waits'; x: number; y: number }) {
  return at === 'work' ? (
    <path d={`M${x - 4} ${y - 6}L${x + 6} ${y}L${x - 4} ${y + 6}Z`} fill="var(--mat-text)" />
  ) : (
    <path d={`M${x - 5} ${y - 6}h4v12h-4zM${x + 1} ${y - 6}h4v12h-4z`} fill="var(--sus)" />
  );
}

/** Room for a module's name at its left; none where the box is narrow. */
const nameWidth = (w: number): number => (w < 90 ? 0 : Math.min(52, w * 0.34));

/** What a layer of whole modules says of one: a few words, and a share as a bar. */
function WholeMark({ box, mark }: { box: Box; mark: ModuleMark | undefined }) {
  const { x, y, w, h } = box;
  const narrow = w < 90;
  // A stick on end fills from below.
  if (mark?.share !== undefined && w < 40 && h > 60) {
    const full = h - 26;
    return (
      <rect
        x={x + 3}
        y={y + h - 3 - full * mark.share}
        width={w - 6}
        height={Math.max(1, full * mark.share)}
        fill={mark.state === 'suspect' ? 'var(--sus)' : 'var(--mat-text)'}
        opacity={0.55}
      />
    );
  }
  if (!mark?.text || w < 40) return null;
  const left = narrow ? x + 4 : x + nameWidth(w) + 8;
  const room = x + w - 8 - left;
  return (
    <>
      <text
        x={narrow ? left : x + w - 8}
        y={narrow ? y + h - 8 : y + h / 2 + 5}
        textAnchor={narrow ? 'start' : 'end'}
        fontSize={narrow ? 11 : 13}
        fill={mark.state === 'suspect' ? 'var(--sus)' : 'var(--mute)'}
      >
        {mark.text}
      </text>
      {mark.share !== undefined && mark.share > 0.02 && h >= 26 && (
        <rect x={left} y={y + h - 8} width={Math.max(2, room * mark.share)} height={5} fill="var(--sus)" />
      )}
    </>
  );
}
