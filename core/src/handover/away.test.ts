import { describe, expect, it } from 'vitest';
import { awayOf, type AwayFacts } from './away';

const sound: AwayFacts = {
  chemistry: 'nmc',
  hot: false,
  wet: false,
  struck: false,
  leaking: false,
  beyondLimits: false,
  judgedSound: true,
};

describe('how a part may leave', () => {
  it('has the numbers of ADR for lithium: P908 or LP904 damaged, P911 critical, UN 3480 sound (numbers.md)', () => {
    expect(awayOf(sound)).toMatchObject({
      class: 'sound',
      rule: expect.stringMatching(/UN 3480.*UN 3481.*UN 3171/) as string,
    });
    expect(awayOf({ ...sound, wet: true })).toMatchObject({
      class: 'damaged or defective',
      rule: expect.stringMatching(/SP 376: P908 or LP904/) as string,
    });
    expect(awayOf({ ...sound, hot: true })).toMatchObject({
      class: 'critical',
      rule: expect.stringMatching(/P911/) as string,
    });
  });

  it('takes the worst that is known, and what nobody has shown to be sound for damaged', () => {
    for (const key of ['wet', 'struck', 'leaking', 'beyondLimits'] as const)
      expect(awayOf({ ...sound, [key]: true }).class).toBe('damaged or defective');
    expect(awayOf({ ...sound, judgedSound: false })).toMatchObject({
      class: 'damaged or defective',
      because: expect.stringMatching(/Nobody has shown/) as string,
    });
    expect(awayOf({ ...sound, wet: true, hot: true }).class).toBe('critical');
    expect(awayOf({ ...sound, wet: true, leaking: true }).because).toBe('It was wet, it leaks.');
  });

  it('never names a lithium number for NiMH, and asks for measuring, poles and a proof of everything', () => {
    for (const more of [{}, { wet: true }, { hot: true }]) {
      const nimh = awayOf({ ...sound, ...more, chemistry: 'nimh' });
      expect(nimh.rule).not.toMatch(/3480|P90|P911/);
      for (const away of [nimh, awayOf({ ...sound, ...more })]) {
        expect(away.checks.some((c) => c.startsWith('Voltage'))).toBe(true);
        expect(away.checks.at(-1)).toMatch(/proof/);
      }
    }
  });
});
