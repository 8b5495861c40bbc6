import type { Pack } from '@cellmend/core/pack';
import { useMemo, useRef } from 'react';
import { useDrop } from 'react-aria/useDrop';
import styled from 'styled-components';
import { draggedNow, setDragged, useDragging, type MapDrops } from '../shell/dropOnMap';
import { drawPack, type Box } from './view';

const Over = styled.svg<{ $on: boolean }>`
  position: absolute;
  inset: 0;
  width: 100%;
  height: auto;
  pointer-events: ${(p) => (p.$on ? 'auto' : 'none')};
  opacity: ${(p) => (p.$on ? 1 : 0)};
`;

/** Over the map while a module is dragged: the places it may be let go at. */
export function DropPlaces({ pack, height, drops }: { pack: Pack; height: number; drops: MapDrops }) {
  const drawing = useMemo(() => drawPack(pack, 340, height), [pack, height]);
  const on = useDragging();
  return (
    <Over
      $on={on}
      viewBox={`-2 0 ${drawing.width + 4} ${drawing.height}`}
      role="group"
      aria-label="Places to put it"
    >
      {drawing.boxes
        .filter((b) => drops.places.includes(pack.modules[b.module]!.id))
        .map((b) => (
          <Place key={b.module} box={b} id={pack.modules[b.module]!.id} take={drops.take} />
        ))}
    </Over>
  );
}

function Place({ box: { x, y, w, h }, id, take }: { box: Box; id: string; take: MapDrops['take'] }) {
  const ref = useRef<SVGGElement>(null);
  const { dropProps, isDropTarget } = useDrop({
    ref: ref as unknown as React.RefObject<HTMLElement | null>,
    getDropOperation: () => (draggedNow() === null ? 'cancel' : 'move'),
    onDrop: () => {
      const part = draggedNow();
      // What was dragged may be gone from its list now: then nobody tells that the drag is over.
      setDragged(null);
      if (part !== null) take(id, part);
    },
  });
  return (
    <g
      {...(dropProps as React.SVGProps<SVGGElement>)}
      ref={ref}
      role="button"
      tabIndex={-1}
      aria-label={`Put it at ${id}`}
    >
      <rect
        x={x}
        y={y}
        width={w}
        height={h}
        rx={3}
        fill={isDropTarget ? 'var(--mat-soft)' : 'var(--sheet)'}
        fillOpacity={0.85}
        stroke="var(--mat-text)"
        strokeWidth={isDropTarget ? 4 : 2}
        strokeDasharray={isDropTarget ? undefined : '6 4'}
      />
      <text
        x={x + w / 2}
        y={y + h / 2 + 5}
        textAnchor="middle"
        fontSize={14}
        fontWeight={700}
        fill="var(--ink)"
      >
        {id}
      </text>
    </g>
  );
}
