import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { runTopic, TOPICS } from './topics';

const folder = mkdtempSync(join(tmpdir(), 'cellmend-topics-'));
const file = (body: unknown): string => {
  const path = join(folder, 'in.json');
  writeFileSync(path, typeof body === 'string' ? body : JSON.stringify(body));
  return path;
};
const OCV = [
  [0, 3],
  [0.5, 3.7],
  [1, 4.2],
];
const span = { low: 1, likely: 2, high: 3 };
const part = { id: 'a', minutes: 3, tool: 'T30', after: [[]] };
/** One question of each, and the fields that its answer always has. */
const ASKED: [topic: string, ask: object, fields: string[]][] = [
  [
    'stripdown',
    { parts: [part], targets: ['a'], toolChangeMin: 1 },
    ['order', 'minutes', 'proved', 'lowerBoundMin'],
  ],
  [
    'bench',
    {
      chemistry: 'lfp',
      cellsInSeries: 4,
      cutoffV: 10,
      timeS: [0, 1, 3600],
      currentA: [0, 10, 10],
      voltageV: [13.3, 13.2, 12.9],
    },
    [
      'complete',
      'capacityAh',
      'lowerBound',
      'energyWh',
      'dischargedAh',
      'netAh',
      'cellsDroppedOut',
      'dropoutsAh',
      'gaps',
      'pulses',
      'warnings',
    ],
  ],
  [
    'hold',
    {
      chemistry: 'nmc',
      cellsInSeries: 8,
      capacityAh: 60,
      socFraction: 0.8,
      ocvSlopeVPerAh: 0.02,
      temperatureCoefficientVPerK: null,
      leakLimitMilliamp: 10,
      deadBelowV: 8,
      suddenDropV: 0.8,
      timeH: [1, 2],
      voltageV: [32, 32],
      temperatureC: [20, 20],
    },
    ['verdict', 'leakageMilliamp', 'leakageSdMilliamp', 'lossPerDayFraction', 'reasons'],
  ],
  [
    'condition',
    {
      cellsInSeries: 6,
      ratedAh: 6.5,
      sticks: [
        {
          id: 'A1',
          history: [
            { kind: 'charge', hours: 16, currentA: -0.65, temperatureC: 22 },
            { kind: 'discharge', hours: 1.6, currentA: 3, temperatureC: 24 },
          ],
        },
      ],
      people: 1,
      runsPerPerson: 4,
      channels: 4,
      wanted: { leastAh: 4 },
    },
    ['sticks', 'plan', 'hours', 'leastAhAfter'],
  ],
  [
    'match',
    {
      candidates: [{ id: 'a', capacityAh: 50, resistanceMilliohm: 1, restVoltageV: 29 }],
      positions: 1,
      fixed: {},
      limits: {},
      aim: 'weakest-first',
    },
    ['places', 'objective', 'proved', 'bound', 'reasons'],
  ],
  [
    'balance',
    {
      kind: 'string',
      ocv: OCV,
      capacityAh: [50, 50],
      groupVoltageV: [3.7, 3.8],
      mode: 'lowest',
      currentA: 1,
      bleedOhm: null,
    },
    [
      'groupSoc',
      'moveAh',
      'moveAhInterval',
      'hoursConstantCurrent',
      'hoursResistor',
      'totalHoursConstantCurrent',
      'totalHoursResistor',
    ],
  ],
  [
    'balance',
    {
      kind: 'cc-cv',
      ocv: OCV,
      cellsInSeries: 8,
      capacityAh: 50,
      socStart: 0.2,
      socTarget: 0.9,
      supplyLimitV: 34,
      supplyLimitA: 20,
      leadOhm: 0.01,
      internalOhm: 0.01,
    },
    ['reachable', 'hours', 'ah', 'initialCurrentA', 'socAtCcEnd', 'hoursCc', 'socAsymptote'],
  ],
  [
    'balance',
    {
      kind: 'parallel',
      ocv: OCV,
      cellsInSeries: 8,
      capacityAh: [50, 50],
      soc: [0.5, 0.4],
      internalOhm: [0.01, 0.01],
      leadOhm: 0.01,
      deltaV: 0.01,
    },
    [
      'initialCurrentA',
      'hoursToDelta',
      'ahMovedAtDelta',
      'socAtDelta',
      'socEquilibrium',
      'ahMovedAtEquilibrium',
    ],
  ],
  [
    'balance',
    { kind: 'pre-charge', packV: 400, resistorOhm: 50, capacitanceF: 0.001, parallelLoadOhm: null },
    [
      'reaches95',
      't95S',
      'finalV',
      'peakCurrentA',
      'peakPowerW',
      'resistorEnergyTo95J',
      'resistorEnergyTotalJ',
      'steadyResistorPowerW',
    ],
  ],
  [
    'balance',
    {
      kind: 'bleed-down',
      startV: 400,
      bleedOhm: 5000,
      capacitanceF: 0.001,
      constantCurrentA: 0,
      targetV: 60,
    },
    ['timeS', 'initialPowerW', 'storedJ'],
  ],
  [
    'schedule',
    {
      channels: 1,
      powerBudgetKw: 2,
      persons: 1,
      holdChannel: true,
      gridH: 1,
      workingWindowsH: [[0, 9]],
      modules: [
        { id: 'a', releaseH: 0, steps: [{ name: 's', hours: 2, powerKw: 1, attended: true, channel: true }] },
      ],
    },
    ['makespanH', 'lowerBoundH', 'proved', 'startH'],
  ],
  [
    'range',
    {
      groupCapacityAh: [50, 40],
      groupSoc: [0.5, 0.5],
      socLeast: 0.1,
      socMost: 0.9,
      donors: [{ capacityAh: 49, soc: 0.5 }],
    },
    ['asIs', 'afterBalancingAh', 'limitsAfterBalancing', 'replacement', 'bestKBalanced', 'gainOfBalancingAh'],
  ],
  [
    'options',
    {
      horizonYears: 5,
      distanceKmPerYear: 9000,
      currency: '€',
      draws: 100,
      seed: 1,
      options: [
        {
          name: 'x',
          cost: span,
          rangeKm: span,
          yearsLeft: span,
          comebackProbability: 0.1,
          comebackCost: span,
        },
      ],
    },
    ['options', 'drawn', 'seed'],
  ],
];

describe('every topic of the command line', () => {
  it('is asked here', () => expect(new Set(ASKED.map(([t]) => t))).toEqual(new Set(Object.keys(TOPICS))));
  it.each(ASKED)('%s answers in its stable shape, on one line', (topic, ask, fields) => {
    const text = runTopic(topic, { in: file(ask), json: true, schema: false });
    expect(text).not.toContain('\n');
    expect(Object.keys(JSON.parse(text) as object)).toEqual(expect.arrayContaining(fields));
    expect(runTopic(topic, { in: file(ask), json: false, schema: false })).not.toBe('');
  });
  it.each(ASKED)('%s says which field is wrong, and prints its schema', (topic, ask) => {
    const [first] = Object.keys(ask).filter((k) => k !== 'kind');
    expect(() =>
      runTopic(topic, { in: file({ ...ask, [first!]: 'seven' }), json: true, schema: false }),
    ).toThrow(first!);
    expect(JSON.parse(runTopic(topic, { json: false, schema: true }))).toHaveProperty('$schema');
  });
  it('ends with 2 and a message for bad input, with 0 and one line for an answer', () => {
    const run = (...args: string[]) =>
      spawnSync(process.execPath, ['--import', 'tsx', join(import.meta.dirname, 'main.ts'), ...args], {
        encoding: 'utf8',
      });
    const good = run('stripdown', '--in', file(ASKED[0]![1]), '--json');
    expect([good.status, good.stdout.trim().split('\n').length]).toEqual([0, 1]);
    const bad = run('stripdown', '--in', file('{"parts":'), '--json');
    expect([bad.status, bad.stdout]).toEqual([2, '']);
    expect(bad.stderr).toMatch(/cannot be read/);
  });
});
