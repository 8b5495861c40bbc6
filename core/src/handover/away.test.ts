import { describe, expect, it } from 'vitest';
import { EVIDENCE_NAMES } from '../insulation';
import { normalisePack, type PackProfile } from '../pack';
import type { SpreadReport } from '../diagnosis';
import { awayOf, notForTheShelf, type AwayFacts } from './away';
import { awayFactsOf, type KnownOfModules } from './known';

const sound: AwayFacts = {
  chemistry: 'nmc',
  seen: ['clean and dry'],
  stopped: false,
  crashed: false,
  insulationLost: false,
  beyondLimits: false,
  quarantined: false,
  measuredHarmless: true,
};
const classOf = (more: Partial<AwayFacts>): string => awayOf({ ...sound, ...more }).class;

describe('how a part may leave', () => {
  it('has the numbers of ADR for lithium: P908 or LP904 damaged, P911 critical, UN 3480 sound (numbers.md)', () => {
    const text = (pattern: RegExp): string => expect.stringMatching(pattern) as string;
    expect(awayOf(sound)).toMatchObject({ class: 'sound', rule: text(/UN 3480.*UN 3481.*UN 3171/) });
    expect(awayOf({ ...sound, seen: ['water line'] })).toMatchObject({
      class: 'damaged or defective',
      rule: text(/SP 376: P908 or LP904/),
    });
    expect(awayOf({ ...sound, stopped: true })).toMatchObject({ class: 'critical', rule: text(/P911/) });
  });

  it('takes the worst that was seen or told, and never calls sound what anything speaks against', () => {
    for (const evidence of EVIDENCE_NAMES)
      if (evidence !== 'clean and dry')
        // Also where somebody else found it clean: both stand.
        expect(classOf({ seen: [evidence, 'clean and dry'] }), evidence).not.toBe('sound');
    for (const evidence of ['swollen or wet pouch', 'missing burst tab', 'solvent smell'] as const)
      expect(classOf({ seen: [evidence] })).toBe('critical');
    for (const key of ['crashed', 'insulationLost', 'beyondLimits', 'quarantined'] as const)
      expect(classOf({ [key]: true }), key).toBe('damaged or defective');
    expect(awayOf({ ...sound, seen: ['water line', 'white crust'] }).because).toBe('It was wet, it leaks.');
  });

  it('takes what nobody looked at, or measured, for damaged', () => {
    for (const more of [{ seen: [] }, { measuredHarmless: false }])
      expect(awayOf({ ...sound, ...more })).toMatchObject({
        class: 'damaged or defective',
        because: expect.stringMatching(/Nobody has shown/) as string,
      });
  });

  it('never names a lithium number for NiMH, and asks for measuring and a proof of everything', () => {
    for (const more of [{}, { seen: ['rust'] as const }, { stopped: true }])
      for (const chemistry of ['nimh', 'lfp'] as const) {
        const away = awayOf({ ...sound, ...more, chemistry });
        if (chemistry === 'nimh') expect(away.rule).not.toMatch(/3480|P90|P911/);
        expect(away.checks.some((c) => c.startsWith('Voltage'))).toBe(true);
        expect(away.checks.at(-1)).toMatch(/proof/);
      }
  });
});

describe('what is known of a module that comes out', () => {
  const channels = ['ch1', 'ch2'].map((id) => ({ id, cells: 2 }));
  const modules = ['M01', 'M02'].map((id, i) => ({ id, groups: [`ch${i + 1}.1`, `ch${i + 1}.2`] }));
  const profile = { name: 'two', chemistry: 'nmc', channels, modules, ocv: [] } as unknown as PackProfile;
  const dead = { findings: [{ module: 'M02', verdict: 'dead' }], outOfBounds: [] } as unknown as SpreadReport;
  const known: KnownOfModules = {
    pack: normalisePack(profile),
    hazards: [],
    stopKinds: [],
    signs: [],
    leaking: ['M02'],
    leakTests: [],
    seen: [{ place: 'M02', evidence: 'swollen or wet pouch', at: '2026-05-01T10:00:00.000Z' }],
    reports: [{ at: '2026-05-01T09:00:00.000Z', report: dead }],
  };
  const first = { place: 'M02', since: null, next: '2026-05-02T09:00:00.000Z', quarantined: false };
  it('is of the part that stood there then, not of what was put in later', () => {
    expect(awayFactsOf(known, first)).toMatchObject({
      seen: ['swollen or wet pouch'],
      insulationLost: true,
      beyondLimits: true,
    });
    const second = { ...first, since: '2026-05-02T09:00:00.000Z', next: undefined };
    expect(awayFactsOf(known, second)).toMatchObject({
      seen: [],
      insulationLost: false,
      beyondLimits: false,
    });
    expect(notForTheShelf(awayFactsOf(known, first))).toBe('seen at it: swollen or wet pouch');
    expect(notForTheShelf(awayFactsOf(known, second))).toBe('');
  });
  it('one that was put in and leaked in a test of its own is damaged as well', () => {
    const second = { ...first, since: '2026-05-02T09:00:00.000Z', next: undefined };
    const tested = (at: string) => ({ ...known, leakTests: [{ place: 'M02', at }] });
    expect(notForTheShelf(awayFactsOf(tested('2026-05-03T09:00:00.000Z'), second))).toMatch(
      /lost its insulation/,
    );
    expect(notForTheShelf(awayFactsOf(tested('2026-05-01T09:00:00.000Z'), second))).toBe('');
  });
  it('what is seen at it once it is out counts until the next is in', () => {
    const late = { ...known, seen: [{ ...known.seen[0]!, at: '2026-05-02T08:59:00.000Z' }] };
    expect(awayFactsOf(late, first).seen).toEqual(['swollen or wet pouch']);
  });
  it('a module at another place keeps its own', () => {
    expect(notForTheShelf(awayFactsOf(known, { ...first, place: 'M01' }))).toBe('');
    expect(awayFactsOf(known, { ...first, place: 'M01' }).measuredHarmless).toBe(true);
  });
});
