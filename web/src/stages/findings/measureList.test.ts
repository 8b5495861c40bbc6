import type { Measure } from '@cellmend/core/route';
import { describe, expect, it } from 'vitest';
import { fromChoice, fromProposal, together, withLine, withModules, withoutLine } from './measureList';

const words = (list: readonly Measure[]): string[] =>
  list.map((m) => `${m.id} ${m.kind} ${m.place}${m.dropped ? ' dropped' : ''}`);

describe('a list while it is changed', () => {
  const signed = withLine(withLine([], 'replace-module', 'M07'), 'balance', 'M16');

  it('gives each line an id of its own, and adds none twice', () => {
    expect(words(withLine(signed, 'balance', 'M16'))).toEqual(['m1 replace-module M07', 'm2 balance M16']);
    expect(words(withLine(withoutLine(signed, 'm1', []), 'dry', 'M01'))).toEqual([
      'm2 balance M16',
      'm3 dry M01',
    ]);
  });
  it('takes a line out that nobody signed, and drops one that somebody did', () => {
    expect(words(withoutLine(signed, 'm2', []))).toEqual(['m1 replace-module M07']);
    expect(words(withoutLine(signed, 'm2', signed))).toEqual([
      'm1 replace-module M07',
      'm2 balance M16 dropped',
    ]);
    // Chosen again, it stands again.
    expect(words(withLine(withoutLine(signed, 'm2', signed), 'balance', 'M16'))).toEqual(words(signed));
  });
  it('sets the modules of one kind and leaves the other lines alone', () => {
    expect(words(withModules(signed, 'replace-module', ['M08', 'M09'], signed))).toEqual([
      'm1 replace-module M07 dropped',
      'm2 balance M16',
      'm3 replace-module M08',
      'm4 replace-module M09',
    ]);
  });
  it('keeps both lists when two decide at once', () => {
    const mine = withLine(signed, 'seal', 'valve 2').map((m) => ({ ...m, closed: m.kind === 'balance' }));
    const theirs = withLine(signed, 'replace-module', 'M16');
    const both = together(mine, theirs);
    expect(words(both)).toEqual([...words(theirs), 'm4 seal valve 2']);
    expect(both.find((m) => m.kind === 'balance')!.closed).toBe(true);
    expect(new Set(both.map((m) => m.id)).size).toBe(both.length);
  });
  it('begins with what is proposed', () => {
    const line = { kind: 'decline', place: '', why: 'as asked', closed: false, dropped: '' } as const;
    expect(fromProposal([line, line])).toEqual([{ id: 'm1', ...line }]);
  });
});

describe('what the owner chose', () => {
  it('stands, and what was signed before and is not among it is dropped with the choice as the reason', () => {
    const signed = withLine(withLine([], 'replace-module', 'M07'), 'balance', 'M16');
    const next = fromChoice(
      [
        { kind: 'replace-module', place: 'M07' },
        { kind: 'replace-board', place: 'SB2' },
      ],
      'Module and board',
      signed,
    );
    expect(next.map((m) => [m.id, m.kind, m.place, m.dropped])).toEqual([
      ['m1', 'replace-module', 'M07', ''],
      ['m2', 'balance', 'M16', 'the owner chose: Module and board'],
      ['m3', 'replace-board', 'SB2', ''],
    ]);
    expect(fromChoice([], 'Leave it', []).length).toBe(0);
  });
});
