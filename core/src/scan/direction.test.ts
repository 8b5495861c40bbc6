import { describe, expect, it } from 'vitest';
import { linearRegression } from 'simple-statistics';
import { yardTug } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { driveLegs, healthyPack, Random, simulateRecord } from '../simpack';
import { findCurrentDirection } from './direction';
import { joinRecords } from './join';
import { guessMapping } from './table';
import { previewTable } from './preview';
import type { ScanRecord } from './record';

const pack = normalisePack(yardTug());
const random = new Random(12);
const sim = healthyPack(pack, random, 0.9);
sim.startSoc = 0.9;
const drive = simulateRecord(sim, driveLegs(random, 20, 20, 1), random);

const flipped = (r: ScanRecord): ScanRecord => ({
  ...r,
  currentA: { timeS: r.currentA!.timeS, value: r.currentA!.value.map((v) => -v) },
});

describe('the direction of the current', () => {
  it('is told by the voltages: a cell that is drawn from falls', () => {
    expect(findCurrentDirection(drive).positive).toBe('discharge');
    expect(findCurrentDirection(flipped(drive)).positive).toBe('charge');
    expect(findCurrentDirection(drive).certainty).toBeGreaterThan(20);
  });

  it('is the slope a statistics library finds on the same steps', () => {
    const one = { ...drive, voltageV: drive.voltageV.slice(0, 1) };
    const v = one.voltageV[0]!.value;
    const i = drive.currentA!.value;
    const steps: [number, number][] = [];
    for (let k = 1; k < v.length; k++)
      if (Math.abs(i[k]! - i[k - 1]!) >= 3) {
        steps.push([i[k]! - i[k - 1]!, v[k]! - v[k - 1]!], [i[k - 1]! - i[k]!, v[k - 1]! - v[k]!]);
      }
    // Each step and its mirror: the free intercept of the library is then zero, as ours is by construction.
    expect(findCurrentDirection(one).slopeMilliohm).toBeCloseTo(-1000 * linearRegression(steps).m, 6);
  });

  it('stays unclear without current or without steps', () => {
    expect(findCurrentDirection({ ...drive, currentA: null }).positive).toBe('unclear');
    const still = { ...drive, currentA: { ...drive.currentA!, value: drive.currentA!.value.map(() => 0) } };
    expect(findCurrentDirection(still).positive).toBe('unclear');
  });
});

describe('records joined on one time line', () => {
  const part = (record: ScanRecord, startS: number, a: number, b: number) => ({
    record,
    startS,
    startSocFraction: a,
    endSocFraction: b,
  });

  it('keep their order, whichever came first', () => {
    const joined = joinRecords([part(drive, 90_000, 0.6, 0.3), part(drive, 0, 0.9, 0.6)], 60);
    const t = joined.voltageV[0]!.timeS;
    expect(t.every((x, i) => i === 0 || x >= t[i - 1]!)).toBe(true);
    expect(t[t.length - 1]!).toBeGreaterThan(90_000);
    expect(joined.notices[1]).toMatch(/stood/);
  });

  it('account for what was drawn between them', () => {
    const joined = joinRecords([part(drive, 0, 0.9, 0.8), part(drive, 50_000, 0.5, 0.4)], 60);
    const { timeS, value } = joined.currentA!;
    const gap = Array.from(timeS.keys()).filter(
      (k) => joined.voltageV[0]!.value[k] !== undefined && Number.isNaN(joined.voltageV[0]!.value[k]!),
    );
    expect(gap).toHaveLength(2);
    const ah = (value[gap[0]!]! * (timeS[gap[1]!]! - timeS[gap[0]!]!)) / 3600;
    expect(ah).toBeGreaterThan(0.95 * 18);
    expect(ah).toBeLessThan(1.05 * 18);
    expect(joined.notices[1]).toMatch(/about 30 % of charge was drawn unrecorded/);
  });
});

describe('the preview of a table', () => {
  it('says which channels lack and which columns nobody reads', () => {
    const names = ['time_s', 'Cell 1', 'Cell 2', 'Fan duty'];
    const p = previewTable(names, [['0', '3.9', '3.9', '40']], guessMapping(names, [], pack), pack, false);
    expect(p.clear).toBe(false);
    expect(p.unused).toEqual(['Fan duty']);
    expect(p.missingChannels).toHaveLength(pack.channels.length - 2);
  });

  it('has nothing to ask of the plain form', () => {
    const names = ['time_s', 'current_A', ...pack.channels.map((c) => `${c.id}_V`)];
    expect(previewTable(names, [], guessMapping(names, [], pack), pack, false).clear).toBe(true);
  });
});
