import { describe, expect, it } from 'vitest';
import { checkProfile, chen2020OcvV, defaultOcvTable, normalisePack, ocvCurve, type PackProfile } from '.';

const nimh: PackProfile = {
  name: 'Ferry shuttle hybrid',
  chemistry: 'nimh',
  ratedCapacityAh: 6.5,
  channels: [
    { id: 'b01', cells: 12 },
    { id: 'b02', cells: 12 },
  ],
  modules: ['b01.1', 'b01.7', 'b02.1', 'b02.7'].map((first, i) => ({
    id: `S${i + 1}`,
    groups: Array.from({ length: 6 }, (_, k) => `${first.slice(0, 4)}${Number(first.slice(4)) + k}`),
  })),
  nominalGroupResistanceMilliohm: 24,
  ocv: defaultOcvTable('nimh'),
};

describe('the pack model', () => {
  it('translates a block channel into the two modules it reads', () => {
    const pack = normalisePack(nimh);
    expect(pack.groups).toHaveLength(24);
    expect(pack.channels[1]!.moduleIndices).toEqual([2, 3]);
    expect(pack.stringOrder).toEqual([0, 1, 2, 3]);
  });

  it('names the group that is in two modules or in none', () => {
    const twice = { ...nimh, modules: [...nimh.modules, { id: 'S5', groups: ['b02.12'] }] };
    expect(() => normalisePack(twice)).toThrow(/b02\.12 sits in S4 and in S5/);
    const loose = { ...nimh, modules: nimh.modules.slice(0, 3) };
    expect(() => normalisePack(loose)).toThrow(/b02\.7 sits in no module/);
  });

  it('takes no floor from a profile under which a dead cell would pass for a low one', () => {
    const lithium = {
      name: 'Van',
      chemistry: 'nmc',
      ratedCapacityAh: 50,
      channels: [{ id: 'c1', cells: 1 }],
      modules: [{ id: 'M1', channels: ['c1'] }],
      nominalGroupResistanceMilliohm: 1,
      ocv: defaultOcvTable('nmc'),
    } as const satisfies PackProfile;
    const faults = (value: number): string[] =>
      checkProfile({
        ...lithium,
        limits: [{ key: 'cellFloorV', value, unit: 'V', source: 'the maker', mark: 'maker' }],
      })
        .faults.filter((f) => f.level === 'error')
        .map((f) => f.what);
    expect(faults(2.2)).toEqual([]);
    expect(faults(0.01).join()).toContain('too low for this chemistry');
    expect(faults(-1).join()).toContain('0 to 5 V');
  });

  it('keeps string order even when modules are numbered otherwise', () => {
    const pack = normalisePack({ ...nimh, modules: [...nimh.modules].reverse() });
    expect(pack.stringOrder.map((m) => pack.modules[m]!.id)).toEqual(['S1', 'S2', 'S3', 'S4']);
  });
});

describe('open-circuit voltage', () => {
  it('runs from 2.5 V to 4.2 V, the limits of the cell that the published functions describe', () => {
    // Chen et al., J. Electrochem. Soc. 167 (2020) 080534: lower and upper cut-off 2.5 V and 4.2 V.
    expect(chen2020OcvV(0)).toBeCloseTo(2.5, 1);
    expect(chen2020OcvV(1)).toBeCloseTo(4.2, 1);
    for (let s = 0; s < 1; s += 0.01) expect(chen2020OcvV(s + 0.01)).toBeGreaterThan(chen2020OcvV(s));
  });

  it('inverts what it computes', () => {
    const curve = ocvCurve(defaultOcvTable('nmc'));
    for (const s of [0.03, 0.2, 0.555, 0.8, 0.99]) expect(curve.socAt(curve.voltageAt(s))).toBeCloseTo(s, 6);
  });

  it('refuses to tell the charge of LFP on its plateau, but tells it at the ends', () => {
    const curve = ocvCurve(defaultOcvTable('lfp'));
    const width = (v: number): number => curve.socInterval(v, 0.005)[1] - curve.socInterval(v, 0.005)[0];
    // 10 mV on the plateau is 10 to 30 % of charge. Common practice, no source.
    expect(width(curve.voltageAt(0.5))).toBeGreaterThan(0.1);
    expect(width(curve.voltageAt(0.03))).toBeLessThan(0.01);
  });

  it('refuses a table that falls', () => {
    expect(() =>
      ocvCurve([
        [0, 3],
        [0.5, 3.4],
        [0.4, 3.5],
      ]),
    ).toThrow(/falls from/);
  });
});

describe('checking a profile', () => {
  const links = [
    ['S1', 'S2'],
    ['S2', 'S3'],
    ['S3', 'S4'],
  ].map(([a, b], i) => ({
    id: `L${i + 1}`,
    between: [a!, b!] as [string, string],
    kind: i === 1 ? ('service-disconnect' as const) : ('busbar' as const),
  }));
  const errors = (p: PackProfile): string[] =>
    checkProfile(p)
      .faults.filter((f) => f.level === 'error')
      .map((f) => f.what);

  it('passes a sound one', () => {
    expect(checkProfile({ ...nimh, links }).faults).toEqual([]);
  });

  it.each<[string, Partial<PackProfile>, RegExp]>([
    ['an open string', { links: links.slice(0, 2) }, /Nothing joins S3 and S4/],
    [
      'a link across the string',
      { links: [...links, { id: 'L9', between: ['S1', 'S4'], kind: 'cable' }] },
      /do not follow each other/,
    ],
    [
      'a link to nowhere',
      { links: [...links.slice(0, 2), { id: 'L3', between: ['S3', 'S9'], kind: 'cable' }] },
      /names S9/,
    ],
    ['lithium volts on NiMH', { ocv: defaultOcvTable('nmc') }, /cells are full at 1.5 V/],
    [
      'two modules in one place',
      { modules: nimh.modules.map((m) => ({ ...m, place: { tier: 0, row: 0, column: 0 } })) },
      /lies where S1 lies/,
    ],
  ])('names %s', (_name, change, message) => {
    expect(errors({ ...nimh, links, ...change }).join(' ')).toMatch(message);
  });
});

describe('sense boards', () => {
  const base = {
    name: 'four',
    chemistry: 'nmc' as const,
    ratedCapacityAh: 60,
    channels: Array.from({ length: 8 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
    modules: [0, 1].map((m) => ({ id: `M${m + 1}`, channels: [1, 2, 3, 4].map((k) => `c${4 * m + k}`) })),
    links: [{ id: 'L1', between: ['M1', 'M2'] as [string, string], kind: 'service-disconnect' as const }],
    nominalGroupResistanceMilliohm: 1,
    ocv: defaultOcvTable('nmc'),
  };
  const told = (...boards: [string, string[]][]): string[] =>
    checkProfile({ ...base, boards: boards.map(([id, channels]) => ({ id, channels })) })
      .faults.filter((f) => f.where.startsWith('boards'))
      .map((f) => `${f.level}: ${f.what}`);
  it('report every channel once, under a name of their own', () => {
    expect(told(['SB1', ['c1', 'c2', 'c3', 'c4']], ['SB2', ['c5', 'c6', 'c7', 'c8']])).toEqual([]);
    expect(told(['SB1', ['c1', 'c2', 'c9']], ['sb1', ['c2']], ['m1', ['c3']])).toEqual([
      'error: Board SB1 names channel c9, which the pack does not have.',
      'error: sb1 is the name of something else already: a module, channel, link or board.',
      'error: c2 is on board SB1 and on board sb1.',
      'error: m1 is the name of something else already: a module, channel, link or board.',
      'remark: No board reports c4 and 4 more.',
    ]);
  });
});
