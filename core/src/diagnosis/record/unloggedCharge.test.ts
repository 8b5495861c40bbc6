import { describe, expect, it } from 'vitest';
import { physicsCase, type SimCase } from '../../simpack';
import type { ScanRecord, Series } from '../../scan';
import { diagnose } from '../decide/diagnose';
import { spreadReport } from '../report/report';
import { withChargeGaps } from './unloggedCharge';

/** A record of which only these rows were kept. */
function onlyRows(record: ScanRecord, rows: readonly number[]): ScanRecord {
  const cut = (s: Series): Series => ({
    timeS: Float64Array.from(rows, (k) => s.timeS[k]!),
    value: Float64Array.from(rows, (k) => s.value[k]!),
  });
  return {
    ...record,
    voltageV: record.voltageV.map(cut),
    currentA: cut(record.currentA!),
    temperatureC: null,
  };
}

/** The record of a pack of particles with its drive not logged: rest near full, rest near empty, nothing in between. */
function withoutDrive(c: SimCase): ScanRecord {
  const current = c.record.currentA!.value;
  const loaded = Array.from(current.keys()).filter((k) => Math.abs(current[k]!) > 1);
  const settled = Math.floor(loaded.at(-1)! + 0.6 * (current.length - loaded.at(-1)!));
  const keep = Array.from(current.keys()).filter((k) => k < loaded[0]! || k >= settled);
  return onlyRows(c.record, keep);
}
const drawnShare = (c: SimCase): number => {
  const { timeS, value } = c.record.currentA!;
  let ah = 0;
  for (let k = 1; k < timeS.length; k++) ah += (value[k]! * (timeS[k]! - timeS[k - 1]!)) / 3600;
  return ah / c.pack.profile.ratedCapacityAh;
};
const cases: SimCase[] = [];
for (let seed = 140_000; cases.length < 24; seed++) {
  const c = physicsCase(seed, undefined, (kind) => kind === 'two-rests');
  if (c) cases.push(c);
}

describe('a drive between two rests that nobody logged', () => {
  it('is told by the pack’s own voltages: about as much charge as was drawn', () => {
    for (const c of cases) {
      const joined = withChargeGaps(withoutDrive(c), c.pack);
      expect(joined.assumed).toHaveLength(1);
      const told = Number(/about (\d+) %/.exec(joined.notices.at(-1)!)![1]) / 100;
      // As a share of a capacity that is not known: aged packs hold 70 to 100 % of the rating.
      expect(told).toBeGreaterThan(0.8 * drawnShare(c));
      expect(told).toBeLessThan(1.6 * drawnShare(c));
    }
  });

  it('is told of a rest and a load far apart as well, where a line between the currents contradicts the volts', () => {
    let judged = 0;
    let stood = 0;
    for (let seed = 144_000, n = 0; n < 24; seed++) {
      const c = physicsCase(seed, undefined, (kind, chemistry) => kind === 'full' && chemistry === 'nmc');
      if (!c) continue;
      n++;
      const { timeS, value } = c.record.currentA!;
      const loaded = Array.from(value.keys()).filter((k) => Math.abs(value[k]!) > 2);
      const [first] = loaded;
      const on = loaded.find((k) => timeS[k]! > timeS[first!]! + 1500)!;
      // Six rows of rest, twenty-five minutes of driving lost, six rows of whatever flows then.
      const keep = Array.from(value.keys()).filter(
        (k) => (k < first! && k >= first! - 6) || (k >= on && k < on + 6),
      );
      const record = onlyRows(c.record, keep);
      let drawnAh = 0;
      for (let k = first!; k <= on; k++) drawnAh += (value[k]! * (timeS[k]! - timeS[k - 1]!)) / 3600;
      const joined = withChargeGaps(record, c.pack);
      if (joined === record) {
        stood++;
        continue;
      }
      judged++;
      const told = Number(/one under load, about (\d+) %/.exec(joined.notices.at(-1)!)![1]) / 100;
      const share = drawnAh / c.pack.profile.ratedCapacityAh;
      expect(told).toBeGreaterThan(0.75 * share);
      expect(told).toBeLessThan(1.8 * share);
    }
    expect(judged).toBeGreaterThanOrEqual(10);
    expect(stood).toBeGreaterThanOrEqual(5);
  });

  it('is said to be judged, and no capacity is measured by it', () => {
    const report = spreadReport(withoutDrive(cases[0]!), cases[0]!.pack);
    expect(report.judged!.join(' ')).toMatch(/without a record, judged by the voltages/);
    expect(report.capacityAh.measured).toBe(false);
    expect(spreadReport(cases[0]!.record, cases[0]!.pack).judged).toEqual([]);
  });

  it('is never taken for self-discharge, and no cause is told that is not there', () => {
    let right = 0;
    let wrong = 0;
    for (const c of cases) {
      const { findings } = diagnose(withoutDrive(c), c.pack);
      const truth = new Map(c.faults.map((f) => [c.pack.channels[f.channelIndex]!.id, f.verdict]));
      for (const f of findings) {
        expect(f.verdict).not.toBe('self-discharge');
        if (f.verdict === 'undetermined') continue;
        if (truth.get(f.channel) === f.verdict) right++;
        else wrong++;
      }
    }
    expect(right).toBeGreaterThanOrEqual(9);
    expect(wrong).toBeLessThanOrEqual(1);
  });

  it('leaves records alone that were driven, that stood for days, or that settle after a drive', () => {
    for (const c of cases) expect(withChargeGaps(c.record, c.pack)).toBe(c.record);
    let stood = 0;
    for (let seed = 141_000; stood < 12; seed++) {
      const c = physicsCase(seed, undefined, (kind) => kind === 'long-rest');
      if (!c) continue;
      stood++;
      expect(withChargeGaps(c.record, c.pack)).toBe(c.record);
    }
  });

  it('invents no drive where a log pauses after a load, or holds no current at all', () => {
    let paused = 0;
    for (let seed = 142_000; paused < 12; seed++) {
      // Flat curves: some millivolts of settling are a third of the charge on them.
      const c = physicsCase(
        seed,
        undefined,
        (kind, chemistry) => kind === 'two-rests' && chemistry === 'lfp',
      );
      if (!c) continue;
      paused++;
      const current = c.record.currentA!.value;
      const end = Array.from(current.keys()).findLast((k) => Math.abs(current[k]!) > 1)!;
      const keep = Array.from(current.keys()).filter((k) => k <= end + 2 || k > end + 40);
      const pause = onlyRows(c.record, keep);
      expect(withChargeGaps(pause, c.pack)).toBe(pause);
      const blind: ScanRecord = { ...c.record, currentA: null };
      expect(withChargeGaps(blind, c.pack)).toBe(blind);
    }
    for (let seed = 143_000, driven = 0; driven < 12; seed++) {
      const c = physicsCase(seed, undefined, (kind) => kind === 'drive');
      if (!c) continue;
      driven++;
      const blind: ScanRecord = { ...c.record, currentA: null };
      expect(withChargeGaps(blind, c.pack)).toBe(blind);
    }
  });
});
