import { describe, expect, it } from 'vitest';
import { CAUSES, SIGN_NAMES, triage, type Cause, type Sign } from '.';

const first = (signs: Sign[], codes: string[] = [], numbers = {}): Cause =>
  triage(signs, codes, numbers)[0]!.cause;

// Common practice of the trade, no source: which complaint points where.
describe('triage', () => {
  it.each<[Sign[], string[], Cause]>([
    [['short range', 'drops at low charge'], [], 'cell or group'],
    [['insulation warning', 'worse after rain'], [], 'insulation'],
    [['will not drive'], ['P0AA6'], 'insulation'],
    [['will not wake', 'stood for months'], [], 'under-voltage lock'],
    [['will not wake', 'crash'], [], 'crash lock or pyro fuse'],
    [['temperature warning'], [], 'coolant'],
    [['charge display swings quickly up and down'], [], 'cell or group'],
    [['charge display swings quickly up and down', 'battery warning'], ['P0A80'], 'cell or group'],
    [['will not drive', '12 V battery changed already'], ['P0C78'], 'contactor or pre-charge'],
  ])('%j with codes %j is first of all %s', (signs, codes, cause) => {
    expect(first(signs, codes)).toBe(cause);
  });

  it('names the known false starts: a control module for an insulation fault, a 12 V battery as a cause', () => {
    expect(triage(['insulation warning'], [])[0]!.falseStart).toMatch(/control module/);
    expect(triage(['will not drive', '12 V battery changed already'], ['P0C78'])[0]!.falseStart).toMatch(
      /often the result/,
    );
  });

  it('never offers a way round a safety function', () => {
    const crash = triage(['crash'], [])[0]!;
    expect(crash.falseStart).toMatch(/Bridging or resetting/);
    expect(crash.test).toMatch(/evidence/);
  });

  it('reads the spread of blocks in per cent of charge, as some tools report it', () => {
    expect(triage([], [], { blockSpreadPercent: 4 })).toEqual([]);
    expect(triage([], [], { blockSpreadPercent: 12 })[0]).toMatchObject({
      cause: 'balance',
      because: ['blocks 12 % of charge apart'],
    });
    expect(triage([], [], { blockSpreadPercent: 31 })[0]!.cause).toBe('cell or group');
  });

  it('judges the insulation figure by 100 ohms a volt (UN ECE R100)', () => {
    expect(triage([], [], { insulationOhm: 34_000, packVoltageV: 350 })[0]!.cause).toBe('insulation');
    expect(triage([], [], { insulationOhm: 36_000, packVoltageV: 350 })).toEqual([]);
  });

  it('gives shares that add up to one, reasons for each, and nothing for nothing', () => {
    for (const sign of SIGN_NAMES) {
      const rows = triage([sign], []);
      expect(rows.reduce((s, r) => s + r.share, 0)).toBeCloseTo(1, 12);
      expect(rows.every((r) => r.because.includes(sign) && CAUSES.includes(r.cause))).toBe(true);
    }
    expect(triage([], [])).toEqual([]);
  });

  it('asks when it shows: under load a joint inside is among the first, near empty it is not', () => {
    const first = (signs: Parameters<typeof triage>[0]): string[] =>
      triage(signs, [], {})
        .slice(0, 2)
        .map((r) => r.cause);
    expect(first(['limps under load', 'only under load'])).toEqual(['cell or group', 'joint inside']);
    expect(first(['drops at low charge', 'only near empty'])).toEqual(['cell or group', 'balance']);
    expect(first(['temperature warning', 'only when warm'])[0]).toBe('coolant');
  });
});
