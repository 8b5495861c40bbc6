import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { drawPack, neighbour } from './view';

const folder = join(import.meta.dirname, '../../../demo/packs');
const packs = readdirSync(folder).map((name) =>
  normalisePack(JSON.parse(readFileSync(join(folder, name), 'utf8')) as PackProfile),
);

describe.each(packs.map((p) => [p.profile.name, p] as const))('the map of %s', (_name, pack) => {
  const drawing = drawPack(pack);

  it('shows every module once, inside the drawing, none over another', () => {
    expect(drawing.boxes.map((b) => b.module).sort((a, b) => a - b)).toEqual(
      pack.modules.map((m) => m.index),
    );
    for (const a of drawing.boxes) {
      expect(a.x >= 0 && a.y >= 0 && a.x + a.w <= drawing.width + 1e-6 && a.y + a.h <= drawing.height).toBe(
        true,
      );
      for (const b of drawing.boxes)
        if (a !== b)
          expect(
            a.x + a.w <= b.x + 1e-6 ||
              b.x + b.w <= a.x + 1e-6 ||
              a.y + a.h <= b.y + 1e-6 ||
              b.y + b.h <= a.y + 1e-6,
          ).toBe(true);
    }
  });

  it('lets the arrow keys reach every module from any other', () => {
    const reached = new Set([0]);
    const queue = [0];
    while (queue.length > 0) {
      const here = queue.pop()!;
      for (const key of ['ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight'] as const) {
        const next = neighbour(drawing, here, key);
        if (!reached.has(next)) {
          reached.add(next);
          queue.push(next);
        }
      }
    }
    expect(reached.size).toBe(pack.modules.length);
  });

  it('marks the service disconnect once', () => {
    expect(drawing.disconnects).toHaveLength(1);
  });
});
