import type { ScanPicture } from '@cellmend/contract/scans';
import { useEffect, useMemo, useRef, useState } from 'react';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { theme } from '../../shell/preferences';
import { Mute } from '../../ui/parts';
import { duration, signed } from '../../ui/words';

const Frame = styled.div`
  display: grid;
  grid-template-columns: 52px 1fr;
  gap: 2px 6px;
  align-items: stretch;
  small {
    color: var(--mute);
    font-size: var(--t-xs);
  }
  canvas {
    width: 100%;
    height: 100%;
    display: block;
    image-rendering: pixelated;
    cursor: crosshair;
    border: 1px solid var(--line);
  }
`;
const Ends = styled.div`
  display: flex;
  flex-direction: column;
  justify-content: space-between;
  text-align: right;
`;

/** `#155e9c` → [21, 94, 156]. */
const rgb = (hex: string): [number, number, number] => {
  const n = parseInt(hex.trim().slice(1), 16);
  return [n >> 16, (n >> 8) & 255, n & 255];
};

/** Every channel through the record: a row a channel, a column a stretch of time, colour for the deviation. */
export function DeviationPicture({ picture, height = 240 }: { picture: ScanPicture; height?: number }) {
  const { pack, select, selected } = useJobView();
  const [shownTheme] = theme.use();
  const canvas = useRef<HTMLCanvasElement>(null);
  const [at, setAt] = useState<{ channel: number; bin: number } | null>(null);
  const bins = picture.timeS.length;
  const channels = picture.deviationMv.length;
  const widest = useMemo(() => {
    const sizes = Float64Array.from(picture.deviationMv.flat(), (v) => Math.abs(v ?? 0)).sort();
    return Math.max(10, sizes[Math.floor(sizes.length * 0.995)] ?? 0);
  }, [picture]);
  useEffect(() => {
    const el = canvas.current;
    const context = el?.getContext('2d');
    if (!el || !context) return;
    const style = getComputedStyle(el);
    const [low, zero, high] = ['--low', '--zero', '--high'].map((n) => rgb(style.getPropertyValue(n)));
    const empty = rgb(style.getPropertyValue('--ground'));
    const image = context.createImageData(bins, channels);
    picture.deviationMv.forEach((row, c) =>
      row.forEach((v, b) => {
        const o = (c * bins + b) * 4;
        const share = v === null ? 0 : Math.min(1, Math.sqrt(Math.abs(v) / widest));
        const far = v !== null && v < 0 ? low! : high!;
        for (let k = 0; k < 3; k++)
          image.data[o + k] = v === null ? empty[k]! : zero![k]! + share * (far[k]! - zero![k]!);
        image.data[o + 3] = 255;
      }),
    );
    context.putImageData(image, 0, 0);
  }, [picture, bins, channels, widest, shownTheme]);
  const place = (event: React.MouseEvent<HTMLCanvasElement>): { channel: number; bin: number } => {
    const box = event.currentTarget.getBoundingClientRect();
    const clamp = (v: number, n: number): number => Math.min(n - 1, Math.max(0, Math.floor(v * n)));
    return {
      channel: clamp((event.clientY - box.top) / box.height, channels),
      bin: clamp((event.clientX - box.left) / box.width, bins),
    };
  };
  const shown =
    at ?? (selected !== null ? { channel: pack.modules[selected]!.channelIndices[0]!, bin: -1 } : null);
  const value = shown && shown.bin >= 0 ? picture.deviationMv[shown.channel]?.[shown.bin] : undefined;
  const current = shown && shown.bin >= 0 ? picture.currentA[shown.bin] : null;
  const end = picture.timeS[bins - 1] ?? 0;
  return (
    <div>
      <Frame>
        <Ends>
          <small>{pack.channels[0]!.id}</small>
          <small>{pack.channels[channels - 1]!.id}</small>
        </Ends>
        <div style={{ height }}>
          <canvas
            ref={canvas}
            width={bins}
            height={channels}
            role="img"
            aria-label={`Deviation of ${channels} channels through ${duration(end / 3600)}, up to ${Math.round(widest)} mV`}
            onMouseMove={(e) => setAt(place(e))}
            onMouseLeave={() => setAt(null)}
            onClick={(e) => select(pack.channels[place(e).channel]!.moduleIndices[0] ?? null)}
          />
        </div>
        <span />
        <div style={{ display: 'flex', justifyContent: 'space-between' }}>
          <small>start</small>
          <small>{duration(end / 3600)}</small>
        </div>
      </Frame>
      <Mute>
        {shown && value !== undefined
          ? `${pack.channels[shown.channel]!.id} at ${duration(picture.timeS[shown.bin]! / 3600)}: ${
              value === null ? 'not read' : `${signed(value, 0)} mV against the median`
            }${current === null || current === undefined ? '' : `, ${signed(current, 0)} A`}.`
          : `Brown lower, blue higher than the pack’s median, full colour at ${Math.round(widest)} mV. Press a row for its module.`}
      </Mute>
    </div>
  );
}
