import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../../pack';
import { gainOf, nextTest, rankTests, TESTS, type ChannelFinding } from '..';

const pack = normalisePack({
  name: 'p',
  chemistry: 'nmc',
  ratedCapacityAh: 50,
  channels: [{ id: 'c1', cells: 1 }],
  modules: [{ id: 'M1', channels: ['c1'] }],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const open = (...verdicts: ChannelFinding['verdict'][]): ChannelFinding => ({
  channel: 'c1',
  module: 'M1',
  verdict: 'undetermined',
  confidence: 0.5,
  alternatives: verdicts.map((verdict) => ({ verdict, confidence: 1 / verdicts.length })),
  estimate: {},
  reasons: [],
  detect: 40,
  separate: 1,
});

describe('the next best test', () => {
  it('is the meter where reading and cell are open, for little effort', () => {
    expect(nextTest([open('sense-fault', 'imbalance')], null, null, pack)).toMatch(/^Meter c1/);
  });

  it('is the other end of charge where capacity and balance are open: a meter cannot tell those', () => {
    expect(nextTest([open('low-capacity', 'imbalance')], null, null, pack)).toMatch(
      /^Scan c1 again near empty/,
    );
  });

  it('is the very end of a charge where both ends are known and the curve is flat: only there they differ', () => {
    const lfp = normalisePack({ ...pack.profile, chemistry: 'lfp', ocv: defaultOcvTable('lfp') });
    const both = [{} as never, {} as never] as const;
    expect(nextTest([open('low-capacity', 'imbalance')], ...both, lfp)).toMatch(
      /^Charge the pack until it is full, if no water, impact or heat forbids it, and log c1/,
    );
    expect(nextTest([open('low-capacity', 'imbalance')], ...both, pack)).not.toMatch(/until it is full/);
  });

  it('is never a charge beside a dead group, a group above its ceiling or a delta that blocks driving', () => {
    const lfp = normalisePack({ ...pack.profile, chemistry: 'lfp', ocv: defaultOcvTable('lfp') });
    const even = { grade: 'good' } as never;
    const beside: [ChannelFinding[], never][] = [
      [[{ ...open(), channel: 'c2', verdict: 'dead' }], even],
      [[{ ...open('imbalance', 'sense-fault'), channel: 'c2', absolute: 'over-charged' }], even],
      [[], { grade: 'blocks-drive' } as never],
    ];
    for (const own of [pack, lfp])
      for (const [others, nearEmpty] of beside)
        for (const nearFull of [null, even]) {
          const findings = [open('low-capacity', 'imbalance'), ...others];
          const texts = rankTests(findings, nearFull, nearEmpty, own).map((t) => t.text);
          const charges = /Charge the pack|near full|balance does not/i;
          expect(texts.filter((t) => charges.test(t))).toEqual([]);
          // Nor once all of it was metered and nothing is left to tell apart.
          const metered = new Set(['c1', 'c2']);
          const last = nextTest(others, nearFull, nearEmpty, own, metered);
          if (others.length > 0) expect(last).not.toMatch(charges);
        }
  });

  it('is standing where a drain is open', () => {
    expect(nextTest([open('self-discharge', 'imbalance')], {} as never, {} as never, pack)).toMatch(
      /stand two days/,
    );
  });

  it('is the joint where the resistance comes at once with the current, before a module is bought', () => {
    const high: ChannelFinding = { ...open(), verdict: 'high-resistance', confidence: 0.99 };
    expect(nextTest([high], null, null, pack)).toMatch(
      /^Proven dead, measure the joints of c1.*no module.*it is the cell\.$/,
    );
    expect(nextTest([{ ...high, seat: 'cell' }], null, null, pack)).toMatch(/before it is replaced/);
    expect(nextTest([high], null, null, pack, new Set(['c1']))).not.toMatch(/joint/);
  });

  it('is a drive to near empty where a loss is plain and its size is not, unless the pack has to stand or was there already', () => {
    const lost: ChannelFinding = {
      ...open(),
      verdict: 'low-capacity',
      confidence: 0.5,
      estimate: { capacityRatio: 0.95, capacityRatioSd: 0.06 },
    };
    const at = (medianSocFraction: number) => ({ medianSocFraction, channels: [] }) as never;
    const drive = /^Log a drive from near full to near empty: c1 has lost capacity/;
    expect(nextTest([lost], at(0.95), at(0.57), pack)).toMatch(drive);
    expect(nextTest([lost], at(0.95), at(0.1), pack)).not.toMatch(drive);
    const known = { ...lost, estimate: { capacityRatio: 0.85, capacityRatioSd: 0.02 } };
    expect(nextTest([known], at(0.95), at(0.57), pack)).toMatch(/before it is replaced/);
    const dead: ChannelFinding = { ...lost, channel: 'c2', verdict: 'dead', estimate: {} };
    expect(nextTest([lost, dead], at(0.95), at(0.57), pack, new Set(['c2']))).not.toMatch(drive);
  });

  it('gains one bit from two even explanations it tells apart, none from two it cannot', () => {
    // Shannon: the entropy of two equal chances is one bit.
    expect(gainOf(TESTS[0]!, open('sense-fault', 'imbalance').alternatives)).toBeCloseTo(1, 12);
    expect(gainOf(TESTS[0]!, open('low-capacity', 'imbalance').alternatives)).toBe(0);
  });
});
