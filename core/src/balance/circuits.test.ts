import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { balanceString, bleedBus, chargeCcCv, parallel, preChargeBus, type OcvTable } from './circuits';

const NMC: OcvTable = [
  [0, 3.0],
  [0.1, 3.45],
  [0.3, 3.6],
  [0.5, 3.68],
  [0.7, 3.85],
  [0.9, 4.06],
  [1, 4.2],
];

/** The same circuits by scipy's integrator (Debian's python3-scipy), from their differential equations alone. */
function byScipy(work: string, data: object): number[] {
  const code = `
import json, sys
import numpy as np
from scipy.integrate import solve_ivp
d = json.loads(sys.stdin.read())
s, v = np.array(d['ocv']).T
ocv = lambda x: np.interp(x, s, v)
def until(f, y0, event, t=4000.0):
    event.terminal = True
    r = solve_ivp(f, (0, t), y0, events=event, rtol=1e-10, atol=1e-12, max_step=0.02)
    return [float(r.t_events[0][0]) if len(r.t_events[0]) else -1.0] + [float(x) for x in r.y[:, -1]]
${work}`;
  return JSON.parse(
    execFileSync('python3', ['-c', code], { input: JSON.stringify(data), encoding: 'utf8' }),
  ) as number[];
}

describe('charging from a supply', () => {
  const ask = {
    ocv: NMC,
    cellsInSeries: 12,
    capacityAh: 64,
    socStart: 0.22,
    socTarget: 0.93,
    supplyLimitV: 50,
    supplyLimitA: 30,
    leadOhm: 0.03,
    internalOhm: 0.02,
  };
  it('takes the time that scipy finds for the same supply, leads and cells', () => {
    const mine = chargeCcCv(ask);
    const [hours] = byScipy(
      `
R = d['leadOhm'] + d['internalOhm']
i = lambda x: min(d['supplyLimitA'], max(0.0, (d['supplyLimitV'] - d['cellsInSeries'] * ocv(x)) / R))
print(json.dumps(until(lambda t, y: [i(y[0]) / d['capacityAh']], [d['socStart']], lambda t, y: y[0] - d['socTarget'])))`,
      ask,
    );
    expect(mine.reachable).toBe(true);
    expect(mine.hours! / hours!).toBeCloseTo(1, 4);
    expect(mine.initialCurrentA).toBe(30);
    expect(mine.ah).toBeCloseTo(0.71 * 64, 9);
  });
  it('says of a target that it never gets there', () => {
    expect(chargeCcCv({ ...ask, supplyLimitV: 46 })).toMatchObject({ reachable: false, hours: null });
    // Where the rest voltage is the supply's: 46 / 12 = 3.8333 V a cell.
    expect(chargeCcCv({ ...ask, supplyLimitV: 46 }).socAsymptote).toBeCloseTo(
      0.5 + (0.2 * (46 / 12 - 3.68)) / 0.17,
      9,
    );
    expect(chargeCcCv({ ...ask, supplyLimitV: 60 }).socAsymptote).toBeNull();
  });
});

describe('two side by side', () => {
  it('settle as scipy finds them to', () => {
    const ask = {
      ocv: NMC,
      cellsInSeries: 8,
      capacityAh: [60, 52] as [number, number],
      soc: [0.81, 0.34] as [number, number],
      internalOhm: [0.009, 0.012] as [number, number],
      leadOhm: 0.03,
      deltaV: 0.02,
    };
    for (const soc of [ask.soc, [0.2, 0.95] as [number, number]]) {
      const mine = parallel({ ...ask, soc });
      const [hours, q] = byScipy(
        `
n = d['cellsInSeries']; R = sum(d['internalOhm']) + d['leadOhm']
gap = lambda q: n * (ocv(d['soc'][0] - q / d['capacityAh'][0]) - ocv(d['soc'][1] + q / d['capacityAh'][1]))
print(json.dumps(until(lambda t, y: [gap(y[0]) / R], [0.0], lambda t, y: abs(gap(y[0])) - d['deltaV'])))`,
        { ...ask, soc },
      );
      expect(mine.hoursToDelta / hours!).toBeCloseTo(1, 3);
      expect(mine.ahMovedAtDelta).toBeCloseTo(q!, 3);
      expect(Math.sign(mine.initialCurrentA)).toBe(Math.sign(mine.ahMovedAtEquilibrium));
      // Charge is kept; in the end the rest voltages are one.
      expect(60 * mine.socAtRest[0] + 52 * mine.socAtRest[1]).toBeCloseTo(60 * soc[0] + 52 * soc[1], 9);
      expect(112 * mine.socEquilibrium).toBeCloseTo(60 * soc[0] + 52 * soc[1], 9);
      const at = (s: number): number => {
        const i = NMC.findIndex((p) => p[0] >= s);
        const [a, b] = [NMC[Math.max(0, i - 1)]!, NMC[i]!];
        return a === b ? a[1] : a[1] + ((s - a[0]) / (b[0] - a[0])) * (b[1] - a[1]);
      };
      expect(at(mine.socAtRest[0])).toBeCloseTo(at(mine.socAtRest[1]), 9);
    }
  });
});

describe('a string', () => {
  const ask = {
    ocv: NMC,
    capacityAh: [60, 60, 50],
    groupVoltageV: [3.85, 3.94, 3.85],
    currentA: 2,
    bleedOhm: 20,
  };
  it('is level by each aim as it says', () => {
    const soc = [0.7, 0.7 + (0.2 * 0.09) / 0.21, 0.7];
    const by = (mode: 'lowest' | 'highest' | 'top' | 'bottom') => balanceString({ ...ask, mode });
    by('lowest').groupSoc.forEach((s, i) => expect(s).toBeCloseTo(soc[i]!, 9));
    expect(by('lowest').moveAh[1]).toBeCloseTo(60 * (soc[1]! - 0.7), 9);
    const top = by('top').moveAh;
    const lacks = ask.capacityAh.map((c, i) => (1 - soc[i]!) * c + top[i]!);
    for (const l of lacks) expect(l).toBeCloseTo(lacks[0]!, 9);
    const bottom = by('bottom').moveAh;
    const holds = ask.capacityAh.map((c, i) => soc[i]! * c - bottom[i]!);
    for (const h of holds) expect(h).toBeCloseTo(holds[0]!, 9);
    expect(by('highest').moveAh[0]).toBeLessThan(0);
    // Nothing is put in through a resistor.
    expect(by('highest')).toMatchObject({ totalHoursResistor: null });
  });
  it('is bled in the time that scipy finds', () => {
    const mine = balanceString({ ...ask, mode: 'lowest' });
    const [hours] = byScipy(
      `
print(json.dumps(until(lambda t, y: [-ocv(y[0]) / d['ohm'] / 60], [d['from']], lambda t, y: y[0] - 0.7)))`,
      { ocv: NMC, ohm: 20, from: mine.groupSoc[1] },
    );
    expect(mine.hoursResistor![1]! / hours!).toBeCloseTo(1, 4);
    expect(mine.totalHoursResistor).toBe(mine.hoursResistor![1]);
    expect(mine.totalHoursConstantCurrent).toBeCloseTo(mine.moveAh[1]! / 2, 9);
  });
  it('holds what a meter’s error makes of it', () => {
    const { moveAh, moveAhInterval } = balanceString({ ...ask, mode: 'lowest', voltageErrorV: 0.002 });
    moveAhInterval!.forEach(([low, high], i) => {
      expect(low).toBeLessThanOrEqual(moveAh[i]!);
      expect(high).toBeGreaterThanOrEqual(moveAh[i]!);
    });
    expect(moveAhInterval![1]![1] - moveAhInterval![1]![0]).toBeGreaterThan(0.1);
  });
});

describe('the bus', () => {
  it('fills by its closed form: 95 % after 3τ, ½CV² in the resistor', () => {
    const a = preChargeBus({ packV: 400, resistorOhm: 50, capacitanceF: 1e-3, parallelLoadOhm: null });
    expect(a).toMatchObject({
      reaches95: true,
      finalV: 400,
      peakCurrentA: 8,
      peakPowerW: 3200,
      steadyResistorPowerW: 0,
    });
    expect(a.t95S).toBeCloseTo(-0.05 * Math.log(0.05), 9);
    expect(a.resistorEnergyTotalJ).toBeCloseTo(80, 9);
    expect(a.resistorEnergyTo95J).toBeCloseTo(80 * (1 - 0.05 ** 2), 9);
  });
  it('never comes up where something loads it, and with a small load later, as scipy finds it', () => {
    expect(
      preChargeBus({ packV: 400, resistorOhm: 50, capacitanceF: 1e-3, parallelLoadOhm: 500 }),
    ).toMatchObject({
      reaches95: false,
      t95S: null,
      resistorEnergyTotalJ: null,
      resistorEnergyTo95J: null,
    });
    const ask = { ocv: NMC, packV: 400, resistorOhm: 50, capacitanceF: 1e-3, parallelLoadOhm: 5000 };
    const [t, , joule] = byScipy(
      `
f = lambda t, y: [((d['packV'] - y[0]) / d['resistorOhm'] - y[0] / d['parallelLoadOhm']) / d['capacitanceF'], (d['packV'] - y[0]) ** 2 / d['resistorOhm']]
print(json.dumps(until(f, [0.0, 0.0], lambda t, y: y[0] - 0.95 * d['packV'], 2.0)))`,
      ask,
    );
    const mine = preChargeBus(ask);
    expect(mine.t95S! / t!).toBeCloseTo(1, 5);
    expect(mine.resistorEnergyTo95J! / joule!).toBeCloseTo(1, 5);
  });
  it('empties by its closed form, with a steady draw too', () => {
    expect(
      bleedBus({ startV: 400, bleedOhm: 2000, capacitanceF: 1e-3, constantCurrentA: 0, targetV: 60 }),
    ).toEqual({
      timeS: 2 * Math.log(400 / 60),
      initialPowerW: 80,
      storedJ: 80,
    });
    const [t] = byScipy(
      `
print(json.dumps(until(lambda t, y: [(-y[0] / 2000 - 0.05) / 1e-3], [400.0], lambda t, y: y[0] - 60, 10.0)))`,
      { ocv: NMC },
    );
    expect(
      bleedBus({ startV: 400, bleedOhm: 2000, capacitanceF: 1e-3, constantCurrentA: 0.05, targetV: 60 })
        .timeS / t!,
    ).toBeCloseTo(1, 5);
  });
});
