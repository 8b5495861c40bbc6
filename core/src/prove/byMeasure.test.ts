import { describe, expect, it } from 'vitest';
import type { Measure, MeasureKind } from '../route';
import {
  backFrom,
  notProven,
  proofFacts,
  proofsOf,
  proofWords,
  PROOF_IDS,
  type ProofFacts,
  type ProofId,
} from '.';

// What a repair of each kind is proven by, and the figures that decide, are common practice of the trade, no source.

const measure = (kind: MeasureKind, place = 'M07', why = ''): Measure => ({
  id: `${kind}-${place}`,
  kind,
  place,
  why,
  closed: false,
  dropped: '',
});
const facts = (measures: Measure[], more: Partial<ProofFacts> = {}): ProofFacts => ({
  measures,
  nimh: false,
  leak: false,
  codes: [],
  limits: { insulationOhm: 100_000, blockSpreadV: 0.5, roadTest: 'span' },
  checks: [],
  ...more,
});
const ids = (f: ProofFacts): string[] => proofsOf(f).map((p) => `${p.id} ${p.place}`.trim());
const DRIVEN = ['codes', 'charge', 'road-test'];

describe('the pre-charge', () => {
  it('is told with the time that resistor and capacitance give it: three time constants to 95 %', () => {
    const how = (preChargeS: number | null): string =>
      proofFacts('contactors').how(
        facts([measure('whole-pack', '')], {
          limits: { insulationOhm: 1, blockSpreadV: 1, roadTest: 'span', preChargeS },
        }),
      );
    // 40 Ω and 1.2 mF: τ = 48 ms, e⁻³ = 5 % is left after 144 ms.
    expect(how(3 * 40 * 1.2e-3)).toMatch(/which takes 144 ms by its resistor and capacitance/);
    expect(1 - Math.exp(-3)).toBeCloseTo(0.95, 2);
    expect(how(null)).not.toMatch(/takes/);
  });
});

describe('what proves a repair, by what was wrong', () => {
  it.each<[string, ProofFacts, string[]]>([
    ['a weak module', facts([measure('replace-module', 'M07', 'low capacity')]), DRIVEN],
    [
      'a module that lost charge by itself: days of standing',
      facts([measure('replace-module', 'M07', 'self-discharge')]),
      ['standing M07', ...DRIVEN],
    ],
    [
      'wet modules and a valve: insulation after a drive, once',
      facts([measure('dry', 'M03'), measure('dry', 'M05'), measure('seal', 'V2')]),
      ['insulation-after-drive', ...DRIVEN],
    ],
    [
      'a leaking module that was replaced',
      facts([measure('replace-module')], { leak: true }),
      ['insulation-after-drive', ...DRIVEN],
    ],
    [
      'two boards: each against the meter',
      facts([measure('replace-board', 'SB2'), measure('replace-board', 'SB5')]),
      ['board-agrees SB2', 'board-agrees SB5', ...DRIVEN],
    ],
    ['a joint: under load', facts([measure('mend-joint', 'L4')]), ['joint-under-load L4', ...DRIVEN]],
    [
      'sticks that were conditioned: blocks under load, and the display',
      facts([measure('condition', 'S07')], { nimh: true }),
      ['blocks-under-load', ...DRIVEN],
    ],
    ['a pyro fuse: contactors', facts([measure('replace-fuse', 'F1')]), ['contactors', ...DRIVEN]],
    [
      'only watched, declined, appraised, handed on',
      facts((['monitor', 'decline', 'appraise', 'specialist'] as const).map((k) => measure(k, ''))),
      [],
    ],
    [
      'what is not to be done any more',
      facts([{ ...measure('replace-board', 'SB2'), dropped: 'the owner waits' }]),
      [],
    ],
  ])('%s', (_name, f, expected) => expect(ids(f)).toEqual(expected));

  it.each<[ProofId, number, string]>([
    ['insulation-after-drive', 99_000, 'fail'],
    ['insulation-after-drive', 150_000, 'hold'],
    ['insulation-after-drive', 200_000, 'pass'],
    ['board-agrees', 6, 'pass'],
    ['board-agrees', 15, 'hold'],
    ['board-agrees', 16, 'fail'],
    ['board-agrees', -22, 'fail'],
    ['blocks-under-load', -0.9, 'fail'],
    ['contactors', 150, 'hold'],
    ['joint-under-load', 11, 'fail'],
    ['standing', 1.5, 'pass'],
    ['standing', 6, 'fail'],
    ['blocks-under-load', 0.5, 'pass'],
    ['blocks-under-load', 0.6, 'hold'],
    ['blocks-under-load', 0.7, 'fail'],
    ['contactors', 96, 'pass'],
    ['contactors', 80, 'fail'],
    ['codes', 2, 'hold'],
    ['codes', 3, 'pass'],
    ['road-test', 149, 'hold'],
    ['road-test', 150, 'pass'],
  ])('%s at %d: %s', (check, value, state) => {
    const all = (['dry', 'replace-board', 'mend-joint', 'recover', 'condition', 'replace-fuse'] as const).map(
      (k) => measure(k, 'X'),
    );
    const place = ['board-agrees', 'joint-under-load', 'standing'].includes(check) ? 'X' : '';
    const f = facts(all, { nimh: true, checks: [{ check, place, passed: true, value }] });
    expect(proofsOf(f).find((p) => p.id === check)!.state).toBe(state);
    // A figure that is right does not outweigh somebody who saw that it is not.
    const seen = facts(all, { nimh: true, checks: [{ check, place, passed: false, value }] });
    expect(proofsOf(seen).find((p) => p.id === check)!.state).toBe('fail');
  });

  it('what was levelled stands for days before it is proven: a leak takes it down again', () => {
    const ids = proofsOf(facts([measure('balance', 'M02')], {})).map((p) => `${p.id} ${p.place}`);
    expect(ids).toContain('standing M02');
  });

  it('what is said without its figure is on the edge; a short school needs less road', () => {
    const check = (value: number | null) => [{ check: 'road-test', place: '', passed: true, value }];
    const f = facts([measure('replace-module')], { checks: check(null) });
    expect(proofsOf(f).find((p) => p.id === 'road-test')).toMatchObject({
      state: 'hold',
      says: 'Seen, without its figure.',
    });
    const short = { ...f, limits: { ...f.limits, roadTest: 'short' as const }, checks: check(22) };
    expect(proofsOf(short).find((p) => p.id === 'road-test')!.state).toBe('pass');
  });

  it('says what stands in the way, in words for the sheet', () => {
    const f = facts([measure('replace-board', 'SB2')], {
      codes: ['P0A80'],
      checks: [
        { check: 'board-agrees', place: 'SB2', passed: true, value: 22 },
        { check: 'codes', place: '', passed: true, value: 1 },
      ],
    });
    const { failed, open } = notProven(proofsOf(f));
    expect(failed.map(proofWords)).toEqual(['Board against meter SB2: 22 mV apart at most.']);
    expect(open.map(proofWords)).toEqual([
      'Codes stay away: 1 drive without one.',
      'Charge test: Not seen yet.',
      'Road test: Not seen yet.',
    ]);
    expect(proofsOf(f).find((p) => p.id === 'codes')!.how).toContain('It came with P0A80');
  });
  it('what failed says where the work goes on: a leak to its search, blocks to the bench, a joint to be made again', () => {
    const failing = (kind: MeasureKind, check: ProofId, more: Partial<ProofFacts> = {}): string[] =>
      backFrom(
        proofsOf(
          facts([measure(kind, 'M07')], {
            ...more,
            checks: [
              { check, place: proofFacts(check).per === 'job' ? '' : 'M07', passed: false, value: null },
            ],
          }),
        ),
      ).map((b) => b.stage);
    expect(failing('dry', 'insulation-after-drive')).toEqual(['insulation']);
    expect(failing('condition', 'blocks-under-load', { nimh: true })).toEqual(['bench']);
    expect(failing('mend-joint', 'joint-under-load')).toEqual(['rebuild']);
    expect(failing('replace-module', 'codes')).toEqual(['findings']);
    // On the edge is no failure.
    expect(
      backFrom(
        proofsOf(
          facts([measure('replace-board', 'SB2')], {
            checks: [{ check: 'board-agrees', place: 'SB2', passed: true, value: 10 }],
          }),
        ),
      ),
    ).toEqual([]);
  });
  it('each has words of its own', () => {
    expect(new Set(PROOF_IDS).size).toBe(9);
  });
});
