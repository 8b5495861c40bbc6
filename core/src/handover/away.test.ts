import { describe, expect, it } from 'vitest';
import { EVIDENCE_NAMES } from '../insulation';
import { awayOf, type AwayFacts } from './away';

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
