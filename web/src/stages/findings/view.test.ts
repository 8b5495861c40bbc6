import { normalisePack, type PackProfile, valueOf } from '@cellmend/core/pack';
import { readScanCsv } from '@cellmend/core/scan';
import { spreadReport, type SpreadReport } from '@cellmend/core/diagnosis';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { capacityLayer, deviationLayer, moduleMarks } from '../../pack-map/layers';
import { channelList, duration, fixed, orDash, percent, signed, unbroken } from '../../ui/words';
import { comesOut, headline, magnitude, suspectsOf, tiltReads } from './view';

const demo = join(import.meta.dirname, '../../../../demo');
const pack = normalisePack(
  JSON.parse(readFileSync(join(demo, 'packs/marram-3-van.json'), 'utf8')) as PackProfile,
);
const report = spreadReport(readScanCsv(readFileSync(join(demo, 'marram-3-before.csv'), 'utf8'), pack), pack);

describe('suspects', () => {
  const suspects = suspectsOf(report);

  it('are modules, in order of what they cost, with their channels together', () => {
    expect(suspects.map((s) => s.module)).toEqual(['M07', 'M16']);
    expect(suspects[1]!.line).toMatch(/^channels 61 to 64 · 3\.\d % of charge low/);
    expect(valueOf(suspects[0]!.costKm)!).toBeGreaterThan(valueOf(suspects[1]!.costKm)!);
  });

  it('say what it means for the job before the numbers', () => {
    expect(headline(suspects[0]!, report).title).toBe('M07, channel 27 runs empty first: low capacity');
    expect(headline(suspects[0]!, report).text).toMatch(
      /^It holds 8\d % of the others.*Level with the others near full, \d+ mV below near empty\.$/,
    );
    expect(headline(suspects[1]!, report).title).toBe('M16 is out of balance');
  });

  it('read a level line by the curve: on a flat one it may be lost lithium', () => {
    expect(tiltReads(report, pack)).toMatch(/a level line that lies low is only out of balance\.$/);
    const bus = JSON.parse(readFileSync(join(demo, 'packs/island-bus.json'), 'utf8')) as PackProfile;
    expect(tiltReads(report, normalisePack(bus))).toMatch(
      /out of balance or, on this flat curve, short of lithium\.$/,
    );
  });

  it('name what is open when the cause is', () => {
    const open = {
      ...report.findings[0]!,
      verdict: 'undetermined' as const,
      alternatives: [
        { verdict: 'imbalance' as const, confidence: 0.5 },
        { verdict: 'sense-fault' as const, confidence: 0.5 },
      ],
    };
    expect(magnitude(open)).toBe('could be out of balance or sense fault');
    expect(suspectsOf({ ...report, findings: [open] })[0]!.confidence).toBeNull();
  });
});

describe('what another module mends', () => {
  const [weak] = suspectsOf(report);
  const as = (verdict: SpreadReport['findings'][number]['verdict'], seat?: 'cell') => ({
    ...weak!,
    verdict,
    channels: weak!.channels.map((c) => ({ ...c, verdict, ...(seat ? { seat } : {}) })),
  });

  it('is a cell, and neither what may be a joint, a reading nor a matter of balance', () => {
    expect(comesOut(weak!)).toBe(true);
    expect(comesOut(as('dead'))).toBe(true);
    expect(comesOut(as('high-resistance', 'cell'))).toBe(true);
    expect(comesOut(as('high-resistance'))).toBe(false);
    expect(comesOut(as('sense-fault'))).toBe(false);
    expect(comesOut(as('imbalance'))).toBe(false);
    expect(comesOut(as('undetermined'))).toBe(false);
  });
});

describe('layers of the pack map', () => {
  it('mark suspects until they are replaced, and unknown channels with a question', () => {
    expect(moduleMarks(pack, report, []).get(6)).toEqual({ state: 'suspect' });
    expect(moduleMarks(pack, report, ['M07']).get(6)).toEqual({ state: 'replaced' });
    expect(moduleMarks(pack, null, []).size).toBe(0);
  });

  it('put zero in the middle and the widest deviation at the end of the scale', () => {
    const layer = deviationLayer(pack, report.nearEmpty, report, [], 'x');
    const scales = [...layer.groups.values()].map((g) => g.scale!);
    expect(Math.min(...scales)).toBeCloseTo(-1, 6);
    expect(layer.groups.get(26)!.scale).toBe(Math.min(...scales));
    expect(layer.legend!.low).toMatch(/^−\d+ mV$/);
  });

  it('show nothing as nothing', () => {
    expect([...deviationLayer(pack, null, null, [], '').groups.values()].every((g) => g.scale === null)).toBe(
      true,
    );
    expect(capacityLayer(pack, null, []).groups.size).toBe(0);
    expect(capacityLayer(pack, report, []).groups.get(26)!.scale!).toBeLessThan(-0.5);
  });
});

describe('words', () => {
  it('have true minus signs, units people say, and no raw ids', () => {
    expect([fixed(-3.14159, 2), signed(2, 0), signed(-2, 0), percent(0.873)]).toEqual([
      '−3.14',
      '+2',
      '−2',
      '87 %',
    ]);
    // What rounds to nothing is neither above nor below.
    expect([fixed(-0.2, 0), signed(-0.04), signed(0.04), orDash(-0.3, 0, ' mV')]).toEqual([
      '0',
      '0.0',
      '0.0',
      '0 mV',
    ]);
    expect(unbroken('holds 87 to 100 % of 41 A·h, 9 mV at 3 of 4')).toBe(
      'holds 87 to 100\u00a0% of 41\u00a0A·h, 9\u00a0mV at 3 of 4',
    );
    expect([duration(0.5), duration(2), duration(2.25), duration(60), duration(24 * 25)]).toEqual([
      '30 min',
      '2 h',
      '2 h 15 min',
      '2 days 12 h',
      '25 days',
    ]);
    expect([
      channelList(['ch027']),
      channelList(['ch003', 'ch008']),
      channelList(['ch061', 'ch062', 'ch063']),
    ]).toEqual(['channel 27', 'channels 3, 8', 'channels 61 to 63']);
  });
});
