import { ChevronLeft, ChevronRight, ZoomIn, ZoomOut } from 'lucide-react';
import { useRef, useState, type PointerEvent, type ReactNode } from 'react';
import styled from 'styled-components';
import { Button, Row } from './parts';

export interface Span {
  from: number;
  to: number;
}
/** Nothing narrower than this share of the whole is shown. */
const NARROWEST = 1e-6;
/** A drag shorter than this is a touch, px. */
const DRAG_PX = 12;

export interface Zoom {
  whole: Span;
  /** What is shown; null: all of it. */
  span: Span | null;
  set: (span: Span | null) => void;
}
export const useZoom = (whole: Span): Zoom => {
  const [span, setSpan] = useState<Span | null>(null);
  const set = (next: Span | null): void => {
    if (!next) return setSpan(null);
    const all = whole.to - whole.from;
    const width = Math.max(next.to - next.from, NARROWEST * all);
    if (width >= all) return setSpan(null);
    const from = Math.min(Math.max(whole.from, next.from), whole.to - width);
    setSpan({ from, to: from + width });
  };
  return { whole, span, set };
};
const shown = ({ span, whole }: Zoom): Span => span ?? whole;

/** Closer, wider, along, and all of it: for gloves, and for keys. */
export function ZoomBar({ zoom, what }: { zoom: Zoom; what: string }) {
  const { from, to } = shown(zoom);
  const width = to - from;
  const by = (share: number): void => {
    const middle = (from + to) / 2;
    zoom.set({ from: middle - (share * width) / 2, to: middle + (share * width) / 2 });
  };
  const along = (share: number): void => zoom.set({ from: from + share * width, to: to + share * width });
  return (
    <Row $gap={6} role="group" aria-label={what}>
      <Button quiet onPress={() => by(0.5)} aria-label="Closer">
        <ZoomIn size={18} aria-hidden />
      </Button>
      <Button quiet isDisabled={!zoom.span} onPress={() => by(2)} aria-label="Wider">
        <ZoomOut size={18} aria-hidden />
      </Button>
      <Button quiet isDisabled={!zoom.span} onPress={() => along(-0.5)} aria-label="Earlier">
        <ChevronLeft size={18} aria-hidden />
      </Button>
      <Button quiet isDisabled={!zoom.span} onPress={() => along(0.5)} aria-label="Later">
        <ChevronRight size={18} aria-hidden />
      </Button>
      {zoom.span && (
        <Button quiet onPress={() => zoom.set(null)}>
          All of it
        </Button>
      )}
    </Row>
  );
}

const Frame = styled.div`
  position: relative;
  touch-action: pan-y;
  user-select: none;
`;
const Chosen = styled.div`
  position: absolute;
  top: 8px;
  bottom: 30px;
  background: var(--mat-text);
  opacity: 0.16;
  pointer-events: none;
`;

/** A chart across which a span is drawn with a finger; twice on it shows all again. */
export function Zoomable({
  zoom,
  left,
  right,
  children,
}: {
  zoom: Zoom;
  /** Where the plot begins and ends within the chart, px from either side. */
  left: number;
  right: number;
  children: ReactNode;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<{ a: number; b: number } | null>(null);
  const plot = (e: PointerEvent): number => {
    const box = frame.current!.getBoundingClientRect();
    return Math.min(Math.max(e.clientX - box.left, left), box.width - right);
  };
  const end = (): void => {
    if (drag && Math.abs(drag.a - drag.b) >= DRAG_PX) {
      const width = frame.current!.getBoundingClientRect().width - left - right;
      const { from, to } = shown(zoom);
      const at = (px: number): number => from + ((px - left) / width) * (to - from);
      zoom.set({ from: at(Math.min(drag.a, drag.b)), to: at(Math.max(drag.a, drag.b)) });
    }
    setDrag(null);
  };
  return (
    <Frame
      ref={frame}
      onPointerDown={(e) => e.isPrimary && setDrag({ a: plot(e), b: plot(e) })}
      onPointerMove={(e) => drag && setDrag({ ...drag, b: plot(e) })}
      onPointerUp={end}
      onPointerCancel={() => setDrag(null)}
      onPointerLeave={end}
      onDoubleClick={() => zoom.set(null)}
    >
      {children}
      {drag && Math.abs(drag.a - drag.b) >= DRAG_PX && (
        <Chosen style={{ left: Math.min(drag.a, drag.b), width: Math.abs(drag.a - drag.b) }} />
      )}
    </Frame>
  );
}

/** A moment of a record as fine as the span that is shown asks for. */
export function momentIn(width: number): (seconds: number) => string {
  if (width > 3 * 86_400) return (s) => `${(s / 86_400).toFixed(1)} d`;
  if (width > 3 * 3600) return (s) => `${(s / 3600).toFixed(1)} h`;
  if (width > 180) return (s) => `${Math.round(s / 60)} min`;
  return (s) => `${s.toFixed(width > 20 ? 0 : 1)} s`;
}
