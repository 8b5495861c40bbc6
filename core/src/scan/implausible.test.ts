import { describe, expect, it } from 'vitest';
import { yardTug } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { spreadReport } from '../diagnosis';
import { driveLegs, healthyPack, Random, simulateRecord } from '../simpack';
import { readScanCsv } from './csv';

// What a log holds that nothing in a vehicle can have given never becomes a finding: refused, or left out and said so.

const pack = normalisePack(yardTug());
const ids = pack.channels.map((c) => c.id);
const HEAD = ['time_s', 'current_A', 'temp_C', 'soc_pct', ...ids.map((i) => `${i}_V`)];
type Row = (number | string)[];
/** A drive of a healthy pack whose channel 20 is 70 mV low, as rows of a table. */
const rows: Row[] = (() => {
  const random = new Random(12);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.9;
  const r = simulateRecord(sim, driveLegs(random, 20, 20, 1), random);
  return Array.from(r.currentA!.timeS, (t, i) => [
    t,
    r.currentA!.value[i]!,
    20,
    60,
    ...r.voltageV.map((s, c) => Number((s.value[i]! - (c === 20 ? 0.07 : 0)).toFixed(4))),
  ]);
})() as Row[];
const csv = (change: (row: Row, i: number) => void): string => {
  const out = rows.map((r, i) => {
    const copy = [...r];
    change(copy, i);
    return copy.join(',');
  });
  return `${HEAD.join(',')}\n${out.join('\n')}\n`;
};
const read = (change: (row: Row, i: number) => void) => readScanCsv(csv(change), pack);
const verdicts = (change: (row: Row, i: number) => void): string[] =>
  spreadReport(read(change), pack).findings.map((f) => `${f.channel} ${f.verdict}`);

describe('a record with figures that cannot be', () => {
  const asItIs = verdicts(() => undefined);
  it('finds in the honest record what is in it', () => {
    expect(asItIs.length).toBeGreaterThan(0);
    expect(asItIs.every((v) => v.startsWith(ids[20]!))).toBe(true);
  });

  it.each([
    [
      '1e308 amperes once',
      (r: Row, i: number) => i === 40 && (r[1] = '1e308'),
      /current that no pack gives.*1e\+?308/,
    ],
    [
      '99999 A now and then',
      (r: Row, i: number) => i % 50 === 7 && (r[1] = 99999),
      /readings of a current that no pack gives/,
    ],
    [
      '−400 °C',
      (r: Row, i: number) => i === 3 && (r[2] = -400),
      /temperature that no pack has was left out: -400 °C/,
    ],
    [
      '6000 %',
      (r: Row, i: number) => i === 3 && (r[3] = 6000),
      /state of charge that cannot be was left out/,
    ],
    ['holes in one channel', (r: Row, i: number) => i % 9 === 0 && (r[9] = ''), null],
  ])('%s change no verdict, and what was left out is said', (_name, change, notice) => {
    const f = change as (r: Row, i: number) => void;
    expect(verdicts(f)).toEqual(asItIs);
    if (notice) expect(read(f).notices.join('\n')).toMatch(notice);
  });

  it.each([
    ['no figure at all', (r: Row) => ids.forEach((_, c) => (r[4 + c] = '')), /no readings/],
    ['NaN everywhere', (r: Row) => ids.forEach((_, c) => (r[4 + c] = 'NaN')), /not a number|no readings/],
    ['nought everywhere', (r: Row) => ids.forEach((_, c) => (r[4 + c] = 0)), /asleep or unplugged/],
    ['one time for all rows', (r: Row) => (r[0] = 12), /same time/],
    ['times of the year 33658', (r: Row) => (r[0] = 1e12 + Number(r[0])), /beyond the year 2100/],
    ['a time that runs back', (r: Row, i: number) => i === 60 && (r[0] = Number(r[0]) - 900), /goes back/],
    ['an infinite voltage', (r: Row, i: number) => i === 6 && (r[7] = 'Infinity'), /not a number/],
    ['1e308 volts', (r: Row, i: number) => i === 6 && (r[7] = '1e308'), /more than a cell can give/],
  ])('%s is refused, and says what would be accepted', (_name, change, says) => {
    expect(() => read(change as (r: Row, i: number) => void)).toThrow(says);
  });

  it('a channel that is there and never read is named, and the others are judged', () => {
    const silent = read((r) => (r[4 + 50] = ''));
    expect(silent.notices.join(' ')).toContain(`No reading of ${ids[50]!} in the whole record.`);
  });
});
