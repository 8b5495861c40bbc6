import { simulateString, type SimAsk } from '@cellmend/core/balance';
import { defaultOcvTable } from '@cellmend/core/pack';
import { Random } from '@cellmend/core/simpack';
import { stringByNgspice } from './peers/stringSpice';
import { printTable } from './table';

/** Ninety-six groups through fourteen days of use, against ngspice on the same circuit. */
export function benchString(): Promise<void> {
  const r = new Random(96);
  const ask: SimAsk = {
    ocv: defaultOcvTable('nmc'),
    groups: Array.from({ length: 96 }, (_, i) => ({
      capacityAh: 65 * (1 + r.normal(0.01)),
      soc: (i >= 24 && i < 28 ? 0.55 : 0.72) + r.normal(0.003),
      ohm: 0.0008 * (1 + r.normal(0.05)),
      slowOhm: 0.0006,
    })),
    slowS: 60,
    bleedOhm: 40,
    bleedAboveV: 0.005,
    bleedWhile: ['charge', 'rest'],
    day: [
      { what: 'drive', hours: 1, currentA: 18 },
      { what: 'rest', hours: 8, currentA: 0 },
      { what: 'drive', hours: 1, currentA: 15 },
      { what: 'rest', hours: 2, currentA: 0 },
      { what: 'charge', hours: 6, currentA: -7 },
      { what: 'rest', hours: 6, currentA: 0 },
    ],
    days: 14,
    fullV: 4.2,
    emptyV: 3.0,
  };
  simulateString({ ...ask, days: 1 });
  const began = performance.now();
  const ours = simulateString(ask);
  const between = performance.now();
  const theirs = stringByNgspice(ask, ours);
  const ended = performance.now();
  const worst = Math.max(...theirs.map((v, i) => Math.abs(v - ours.voltageV[i]!)));
  const ratio = (ended - between) / (between - began);
  printTable('A string in the vehicle, 96 groups, 14 days', [
    {
      what: 'Volts of every group at the end',
      ours: `${ours.bled.length} times a bleeder was on`,
      against: 'ngspice, the same circuit',
      ratio: `${(worst * 1000).toFixed(3)} mV at most`,
      aim: '≤ 1 mV',
      met: worst <= 0.001,
    },
    {
      what: 'Time',
      ours: `${(between - began).toFixed(0)} ms`,
      against: `${((ended - between) / 1000).toFixed(1)} s`,
      ratio: `${ratio.toFixed(0)} × sooner`,
      aim: '≥ 20 ×',
      met: ratio >= 20,
    },
  ]);
  return Promise.resolve();
}
