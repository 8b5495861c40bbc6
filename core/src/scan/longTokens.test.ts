import { describe, expect, it } from 'vitest';
import { yardTug } from '../../../cli/src/demoPacks';
import { parseCandumpLine, parseDbc } from '../can';
import { normalisePack } from '../pack';
import { InputProblem } from '../problem';
import { looseRows, turned } from './loose';
import { readScanCsv } from './csv';

// One token of any length costs what it is long: a pattern that goes back over what it has read would take hours here.

const pack = normalisePack(yardTug());
const heading = ['time_s', 'current_A', ...pack.channels.map((c) => `${c.id}_V`)];
const row = heading.map((_, i) => (i < 2 ? '0' : '3.9'));
const N = 2_000_000;
const TOKENS: [string, string][] = [
  ['digits', '7'],
  ['spaces', ' '],
  ['letters', 'x'],
  ['points', '.'],
  ['commas in quotes', '"1,1'],
  ['quotes', '"'],
  ['minus signs', '-'],
  ['digits and spaces', '1 '],
  ['grouped digits', '1,234'],
  ['brackets', '(1'],
  ['underscores', 'ch_1'],
];
const calm = (work: () => unknown): void => {
  try {
    work();
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
  }
};

describe.each(TOKENS)('two million characters of %s', (_name, unit) => {
  const token = unit.repeat(Math.ceil(N / unit.length)).slice(0, N);
  it.each([
    ['as the heading', () => readScanCsv(`${token}\n${row.join(',')}\n`, pack)],
    [
      'as a name in the heading',
      () => readScanCsv(`${heading.join(',')},${token.slice(0, 900_000)}\n${row.join(',')},1\n`, pack),
    ],
    [
      'as a cell',
      () =>
        readScanCsv(`${heading.join(',')}\n${row.slice(0, -1).join(',')},${token.slice(0, 900_000)}\n`, pack),
    ],
    [
      'as a time',
      () => readScanCsv(`${heading.join(',')}\n${token.slice(0, 900_000)},${row.slice(1).join(',')}\n`, pack),
    ],
    ['as a table laid out by hand', () => turned(looseRows(`${token}\n${token.slice(0, 1000)}\n`), pack)],
    ['as a figure behind a figure', () => turned(looseRows(`ch01;1${token}x\n`), pack)],
    ['in a line of a CAN log', () => parseCandumpLine(`(${token}`, 1)],
    ['as data of a CAN log', () => parseCandumpLine(`(1436509052.249713) vcan0 044#${token}`, 1)],
    ['as a DBC message', () => parseDbc(`BO_ ${token}\n`)],
    ['as a DBC signal', () => parseDbc(`BO_ 100 A: 8 X\n SG_ a : 0|8@1+ (${token}`)],
    ['as a DBC comment', () => parseDbc(`BO_ 100 A: 8 X\nCM_ "${token}`)],
  ])('%s', (_where, work) => calm(work), 20_000);
  it('is told from what it is', () => expect(token).toHaveLength(N));
});
