import type { SafetyView } from '@cellmend/contract/safety';
import { insulationReport } from '@cellmend/core/insulation';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { countdown, ohms } from '../ui/words';
import { figure, say } from '../stages/insulation/view';
import { planStripdown } from '@cellmend/core/stripdown';
import { benchLayer, coversOf, exposureLayer, insulationLayer, removalLayer, seenLayer } from './layers';
import { coverBoxes, drawPack } from './view';

const read = (name: string) =>
  normalisePack(
    JSON.parse(readFileSync(join(import.meta.dirname, '../../../demo/packs', name), 'utf8')) as PackProfile,
  );
const pack = read('corrie-pilot.json');
const safety = (moduleV: number[], openLinks: string[] = []): SafetyView =>
  ({ moduleV, openLinks, moduleVFrom: 'scan' }) as unknown as SafetyView;

describe('the exposure layer', () => {
  it('marks every part above 60 V and says which pulls bring it below', () => {
    const layer = exposureLayer(pack, safety(pack.modules.map(() => 29)));
    expect([...layer.modules.values()].every((m) => m.tone === 'hot' && m.text === '29 V')).toBe(true);
    expect(layer.links!.next).toEqual(['L6']);
    expect(layer.note!.title).toBe('Below 60 V everywhere after 5 links');
    expect(layer.note!.text).toMatch(/^348 V now, then L6 174/);
  });

  it('calms down part by part as links come out', () => {
    const out = ['L6', 'L2', 'L4', 'L8', 'L10'];
    const layer = exposureLayer(
      pack,
      safety(
        pack.modules.map(() => 29),
        out,
      ),
    );
    expect([...layer.modules.values()].every((m) => m.tone === 'plain')).toBe(true);
    expect(layer.note).toEqual({
      title: 'No part holds more than 58 V',
      text: 'Every module stays live in itself.',
    });
  });

  it('names a module that no link can help', () => {
    const layer = exposureLayer(pack, safety(pack.modules.map((_, i) => (i === 2 ? 75 : 20))));
    expect(layer.note!.title).toBe('M03 alone holds more than 60 V');
  });

  it('draws a place for every link of every demo pack', () => {
    for (const name of ['corrie-pilot.json', 'marram-3-van.json', 'island-bus.json', 'ferry-shuttle.json']) {
      const p = read(name);
      const drawing = drawPack(p);
      expect(drawing.links).toHaveLength(p.profile.links!.length);
      for (const l of drawing.links)
        expect(l.x >= 0 && l.y >= 0 && l.x <= drawing.width && l.y <= drawing.height).toBe(true);
    }
  });
});

describe('the insulation layer', () => {
  const report = insulationReport(
    pack,
    [
      { kind: 'poles', side: 'pack', packV: 348, negativeV: 146, positiveV: 201.8, meterOhm: 10e6 },
      { kind: 'link', link: 'L6', open: true },
      {
        kind: 'tester',
        tested: { part: 'section', from: 'M07', to: 'M12' },
        setV: 500,
        points: [{ timeS: 60, ohm: 2.1e9, voltageV: 500 }],
        temperatureC: 22,
        mounted: true,
      },
    ],
    { moduleV: pack.modules.map(() => 29) },
  );

  it('tells clean from suspect from not split, and which link is next', () => {
    const layer = insulationLayer(report);
    const of = (id: string) => layer.modules.get(pack.modules.findIndex((m) => m.id === id))!;
    expect(of('M09')).toMatchObject({ tone: 'clean', text: 'clean, ≥ 2.1 GΩ', state: 'plain' });
    expect(of('M01')).toMatchObject({ tone: 'open' });
    expect([of('M05'), of('M06')].some((m) => m.state === 'suspect')).toBe(true);
    expect(layer.links!.out).toEqual(['L6']);
    expect(layer.links!.next.length).toBeGreaterThan(0);
  });

  it('says that nothing is measured yet', () => {
    expect(insulationLayer(null)).toMatchObject({ caption: 'nothing measured yet' });
  });
});

describe('layers of whole modules', () => {
  const car = pack;
  it('show what was seen where, the clean places apart, and what was corrected not at all', () => {
    const entry = (module: string, evidence: string, supersededBy: string | null = null) =>
      ({
        id: module + evidence,
        observation: { kind: 'seen', module, evidence },
        by: 'Ina',
        at: '',
        supersededBy,
        reason: '',
      }) as never;
    const layer = seenLayer(
      car,
      [
        entry('M01', 'rust'),
        entry('M01', 'water line'),
        entry('M03', 'clean and dry'),
        entry('M05', 'rust', 'newer'),
      ],
      '',
    );
    expect([...layer.modules.values()]).toEqual([
      { state: 'suspect', text: 'rust +1' },
      { state: 'plain', text: 'clean', tone: 'clean' },
    ]);
    expect(layer.note!.title).toBe('2 of 12 looked at');
  });
  it('show what a module gave by its last whole run; a bound only where there is no other', () => {
    const run = (place: string, capacityAh: number | null, lowerBound = false) =>
      ({ place, capacityAh, lowerBound }) as never;
    const layer = benchLayer(car, [
      run('M01', 35),
      run('M01', 20, true),
      run('M02', 20, true),
      run('M03', 22),
      run('M04', null),
    ]);
    expect([...layer.modules].map(([m, mark]) => [car.modules[m]!.id, mark.text, mark.state])).toEqual([
      ['M01', '35', 'plain'],
      ['M02', '≥20', 'plain'],
      ['M03', '22', 'suspect'],
    ]);
  });
});

describe('words', () => {
  it('print resistances with three figures and a prefix', () => {
    expect([6200, 482e6, 2.1e9, 35, 1e12, Infinity].map(ohms)).toEqual([
      '6.2 kΩ',
      '482 MΩ',
      '2.1 GΩ',
      '35 Ω',
      '1000 GΩ',
      'open',
    ]);
  });
  it('count down in minutes and seconds, never below zero', () => {
    expect([124, 59.2, 0, -5].map(countdown)).toEqual(['2:04', '1:00', '0:00', '0:00']);
  });
  it('say an observation in one line, and read figures with prefixes', () => {
    expect(say({ kind: 'fuse', fuse: 'pyro', ohm: null })).toBe('pyro fuse open');
    expect(say({ kind: 'link', link: 'L4', open: true })).toBe('Link L4 out');
    expect(
      say({
        kind: 'tester',
        tested: { part: 'section', from: 'M05', to: 'M05' },
        setV: 500,
        points: [{ timeS: 30, ohm: null, voltageV: 21 }],
        temperatureC: null,
        mounted: true,
      }),
    ).toBe('500 V on M05: pinned at 30 s, 21 V');
    expect([figure('4.7k'), figure('2,1G'), figure(''), figure('x')]).toEqual([4700, 2.1e9, null, null]);
  });
});

describe('parts of the build on the map', () => {
  const lorry = read('harbour-lorry.json');
  const standing = { ticks: [], moduleV: lorry.modules.map(() => 22), open: [] as string[] };
  const plan = planStripdown(lorry, { ...standing, targets: ['M02'] });
  const layer = removalLayer(lorry, plan);

  it('are numbered by the step that takes them off; what is not on the way stays, and says so', () => {
    const step = (id: string): number | null => {
      const at = plan.steps.findIndex((s) => s.id === id);
      return at < 0 ? null : at + 1;
    };
    expect(layer.covers!.map((c) => [c.name, c.step])).toEqual([
      ['Lid', step('lid')],
      ['Coolant joint, upper tier', null],
      ['Upper carrier with its six modules', null],
      ['Side rail, left', step('side-rail')],
      ['Side cover, left', step('side-cover')],
      ['Clamp plate, lower tier', step('clamp-lower')],
    ]);
    expect(layer.note!.text).toMatch(
      /^Over them: 2 Lid · .*Stays on: Coolant joint, upper tier · Upper carrier/,
    );
  });
  it('lie around what they cover, tier by tier, and go when they are off', () => {
    const drawing = drawPack(lorry);
    const boxes = coverBoxes(drawing, lorry, layer.covers!);
    for (const b of boxes) {
      const inside = drawing.boxes.filter(
        (m) => m.x > b.x && m.x + m.w < b.x + b.w && m.y > b.y && m.y + m.h < b.y + b.h,
      );
      expect([3, 6]).toContain(inside.length);
    }
    const rail = boxes.find((b) => !b.outer && b.steps !== '')!;
    expect(rail.steps).toBe('9, 10');
    const off = layer.covers!.map((c) => ({ ...c, off: c.name !== 'Side rail, left' }));
    expect(coverBoxes(drawing, lorry, off).map((b) => b.steps)).toEqual(['9']);
  });
  it('are there for a pack that nobody described: its lid, and the bracket of each upper tier', () => {
    expect(coversOf(read('marram-3-van.json')).map((c) => [c.name, c.modules.length])).toEqual([
      ['Lid', 24],
      ['Bracket of Upper tier, lifted off', 8],
    ]);
  });
});
