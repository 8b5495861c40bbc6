import { describe, expect, it } from 'vitest';
import { proposedMeasures, type ProposalFacts } from './index';

// Which measure follows from which finding is common practice of the trade, no source.

type Finding = NonNullable<ProposalFacts['report']>['findings'][number];
const odd = (
  channel: string,
  module: string,
  verdict: Finding['verdict'],
  more: Partial<Finding> = {},
): Finding => ({ channel, module, verdict, channelIndex: 0, ...more }) as Finding;
const facts = (findings: Finding[], more: Partial<ProposalFacts> = {}): ProposalFacts => ({
  report: { pack: { verdict: 'ok', reasons: [] }, findings, outOfBounds: [] },
  leaking: [],
  hazards: [],
  aim: 'restore',
  moduleOfChannel: (c) => `M0${1 + Math.floor(c / 2)}`,
  ...more,
});
const told = (p: ProposalFacts): string[] => proposedMeasures(p).map((m) => `${m.kind} ${m.place}`.trim());

describe('the list that is proposed', () => {
  it('follows the verdict: a weak cell comes out, joints are mended first where it may be one, a board looked at, an imbalance balanced', () => {
    const list = facts([
      odd('ch01', 'M01', 'low-capacity'),
      odd('ch05', 'M03', 'high-resistance'),
      odd('ch07', 'M04', 'high-resistance', { seat: 'cell' }),
      odd('ch09', 'M05', 'sense-fault'),
      odd('ch11', 'M06', 'imbalance'),
    ]);
    expect(told(list)).toEqual([
      'replace-module M01',
      'mend-joint M03',
      'replace-module M04',
      'replace-board M05',
      'balance M06',
    ]);
  });
  it('names a module once, and balances nothing that comes out', () => {
    const list = facts([
      odd('ch01', 'M01', 'imbalance'),
      odd('ch02', 'M01', 'dead'),
      odd('ch03', 'M01', 'low-capacity'),
    ]);
    expect(told(list)).toEqual(['replace-module M01']);
  });
  it('proposes nothing from what the record cannot tell', () => {
    expect(told(facts([odd('ch01', 'M01', 'undetermined')]))).toEqual([]);
    expect(told({ ...facts([]), report: null })).toEqual([]);
  });
  it('takes both modules of a block that lies in two', () => {
    expect(told(facts([odd('b1', 'M01 + M02', 'self-discharge')]))).toEqual([
      'replace-module M01',
      'replace-module M02',
    ]);
  });
  it('dries a wet module that leaks, replaces a dry one', () => {
    expect(told(facts([], { leaking: ['M02'], hazards: ['flood'] }))).toEqual(['dry M02']);
    expect(told(facts([], { leaking: ['M02'] }))).toEqual(['replace-module M02']);
  });
  it('scraps what is over-discharged: a recovery is somebody’s own decision', () => {
    const list = facts([]);
    list.report = {
      pack: { verdict: 'over-discharged', reasons: [] },
      findings: [],
      outOfBounds: [0, 1, 4].map((channelIndex) => ({
        channelIndex,
        voltageV: 0.4,
        state: 'over-discharged',
        says: '',
      })),
    };
    expect(told(list)).toEqual(['scrap M01', 'scrap M03']);
  });
  it('sends a crashed pack to whoever is licensed, whatever else is found, and prices one that is to be bought', () => {
    const list = [odd('ch01', 'M01', 'dead')];
    expect(told(facts(list, { hazards: ['crash', 'flood'] }))).toEqual(['specialist']);
    expect(told(facts(list, { aim: 'buy' }))).toEqual(['appraise']);
  });
});
