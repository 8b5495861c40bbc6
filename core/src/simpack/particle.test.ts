import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { chen2020OcvV } from '../pack';
import { aged, capacityOf, inNegativeAt, newCell, particleVoltage, restV } from '.';

/**
 * The same cell by somebody else: scipy's implicit integrator (BDF, relative tolerance 1e-8) on the method of lines with
 * sixty shells, current switched at every row.
 */
const SCIPY = `
import json, sys, numpy as np
from scipy.integrate import solve_ivp
d = json.load(sys.stdin); c = d['cell']; N = 60; h = 1.0/N
r = np.arange(N+1)*h; vol = (r[1:]**3 - r[:-1]**3)/3
def un(x): return 1.9793*np.exp(-39.3631*x)+0.2482-0.0909*np.tanh(29.8538*(x-0.1234))-0.04478*np.tanh(14.9159*(x-0.2769))-0.0205*np.tanh(30.4444*(x-0.6103))
def up(y): return -0.809*y+4.4875-0.0428*np.tanh(18.5138*(y-0.5542))-17.7326*np.tanh(15.789*(y-0.3117))+17.5842*np.tanh(15.9308*(y-0.312))
def side(tau, q, sign, start):
    theta = np.full(N, start); out = [start]; t = d['timeS']
    for k in range(1, len(t)):
        g = sign*d['currentA'][k]*tau/(3*3600*q)
        def f(_, u):
            flux = np.zeros(N+1); flux[1:N] = r[1:N]**2*(u[1:]-u[:-1])/h; flux[N] = g
            return (flux[1:]-flux[:-1])/vol/tau
        s = solve_ivp(f, (t[k-1], t[k]), theta, method='BDF', rtol=1e-8, atol=1e-10)
        theta = s.y[:, -1]; out.append(theta[-1]+g*h/2)
    return np.array(out)
x = side(c['negativeTauS'], c['negativeAh'], -1, d['start']/c['negativeAh'])
y = side(c['positiveTauS'], c['positiveAh'], 1, (c['lithiumAh']-d['start'])/c['positiveAh'])
i = np.array(d['currentA']); vt = 2*8.314462618*298.15/96485.33212
eta = lambda s: vt*np.arcsinh(i/(4*c['exchangeA']*np.sqrt(s*(1-s))))
json.dump(list(up(y)-un(x)-eta(x)-eta(y)-i*c['ohmicOhm']), sys.stdout)
`;

describe('a cell of two particles', () => {
  const cell = newCell('nmc', 60);

  it('follows the published curve at rest, and its capacity is the rated one', () => {
    expect(capacityOf(cell)).toBeCloseTo(60, 0);
    for (const soc of [0.1, 0.35, 0.6, 0.9]) {
      const inAh = cell.negativeAh * (0.0279 + soc * 0.8735);
      expect(restV(cell, inAh)).toBeCloseTo(chen2020OcvV(soc), 3);
    }
  });

  it('agrees with scipy’s BDF on a finer grid through pulses, a charge and a rest, within a millivolt on the whole and four at a step', () => {
    const timeS: number[] = [0];
    const currentA: number[] = [0];
    for (const [seconds, amps, every] of [
      [60, 90, 5],
      [120, -40, 5],
      [600, 30, 10],
      [1200, 0, 20],
      [900, -20, 20],
    ] as const)
      for (let s = 0; s < seconds; s += every) {
        timeS.push(timeS[timeS.length - 1]! + every);
        currentA.push(amps);
      }
    const start = inNegativeAt(cell, 3.9);
    const run = spawnSync('/usr/bin/python3', ['-c', SCIPY], {
      input: JSON.stringify({ cell, start, timeS, currentA }),
      encoding: 'utf8',
    });
    if (run.status !== 0) throw new Error(run.stderr);
    const theirs = JSON.parse(run.stdout) as number[];
    const ours = particleVoltage(cell, start, timeS, currentA, 25);
    const apart = theirs.map((v, k) => Math.abs(v - ours[k]!));
    // The first seconds of a step are where a coarse grid is worst.
    expect(Math.max(...apart)).toBeLessThan(0.004);
    expect(Math.sqrt(apart.reduce((s, a) => s + a * a, 0) / apart.length)).toBeLessThan(0.001);
  });

  it('keeps its lithium: after a charge and the same discharge it rests where it began', () => {
    const start = inNegativeAt(cell, 3.7);
    const timeS = [0, ...Array.from({ length: 400 }, (_, k) => (k + 1) * 30)];
    const currentA = timeS.map((_, k) => (k === 0 || k > 80 ? 0 : k <= 40 ? 30 : -30));
    const v = particleVoltage(cell, start, timeS, currentA, 25);
    expect(v[400]).toBeCloseTo(restV(cell, start), 4);
    expect(Math.abs(v[80]! - restV(cell, start))).toBeGreaterThan(0.01);
  });

  it('ages in shape: lost lithium and lost material give the same capacity and different curves', () => {
    const lithium = aged(cell, 0.1, 0, 0);
    let material = cell;
    for (let k = 0.02; capacityOf(material) > capacityOf(lithium) && k < 0.4; k += 0.001)
      material = aged(cell, 0, k, k);
    const middle = (c: typeof cell): number =>
      restV(c, (inNegativeAt(c, c.fullV) + inNegativeAt(c, c.emptyV)) / 2);
    expect(capacityOf(material)).toBeCloseTo(capacityOf(lithium), 0);
    expect(Math.abs(middle(material) - middle(lithium))).toBeGreaterThan(0.005);
  });

  it('is slower in the cold, and iron phosphate has its plateau', () => {
    const start = inNegativeAt(cell, 3.8);
    const timeS = Array.from({ length: 30 }, (_, k) => k * 10);
    const load = timeS.map((_, k) => (k === 0 ? 0 : 60));
    const [cold, warm] = [5, 25].map((t) => particleVoltage(cell, start, timeS, load, t)[29]!);
    expect(cold).toBeLessThan(warm! - 0.02);
    const lfp = newCell('lfp', 60);
    const at = (s: number): number => restV(lfp, inNegativeAt(lfp, 2.5) + s * capacityOf(lfp));
    expect(at(0.7) - at(0.4)).toBeLessThan(0.05);
    expect(at(0.5)).toBeGreaterThan(3.2);
    expect(at(0.5)).toBeLessThan(3.4);
  });
});
