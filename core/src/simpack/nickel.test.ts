import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { checkProfile } from '../pack';
import {
  newNickelCell,
  nickelCapacity,
  nickelCase,
  nickelRestV,
  nickelVoltage,
  particleCase,
  RECORD_CLASSES,
  wornNickel,
} from '.';
import { nickelTable } from './physicsCell';

/**
 * The same cell by somebody else: scipy's implicit integrator (BDF, relative tolerance 1e-8) on the method of lines with forty
 * shells in either particle, branch and charge as two states more, current switched at every row.
 */
const SCIPY = `
import json, sys, numpy as np
from scipy.integrate import solve_ivp
d = json.load(sys.stdin); c = d['cell']; N = 40; h = 1.0/N
r = np.arange(N+1)*h; vol = (r[1:]**3 - r[:-1]**3)/3
nernst = 8.314462618*298.15/96485.33212
logit = lambda s: np.log(s/(1-s))
up = lambda y: 1.302 - nernst*logit(y) + 0.018*(1-2*y)
un = lambda x: -(nernst/2)*(1.5*(x-0.5) + 0.4*logit(x))
def rest(below, on): return up(0.04+below/c['positiveAh']) - un(0.85-below/c['negativeAh']) + c['branchV']*on
def sphere(u, g, tau):
    flux = np.zeros(N+1); flux[1:N] = r[1:N]**2*(u[1:]-u[:-1])/h; flux[N] = g
    return (flux[1:]-flux[:-1])/vol/tau
t = d['timeS']; below = d['below']; on = d['branch']
y = np.full(N, 0.04+below/c['positiveAh']); x = np.full(N, 0.85-below/c['negativeAh'])
out = []
for k in range(len(t)):
    i = d['currentA'][k]
    def flow(b, o): return i + c['oxygenA']*np.exp((rest(b, o)-1.33)/0.08)
    gy = gx = 0.0; a = i
    if k > 0:
        def f(_, s):
            b, o = s[2*N], s[2*N+1]; q = flow(b, o)
            dy = sphere(s[:N], q*c['positiveTauS']/(3*3600*c['positiveAh']), c['positiveTauS'])
            dx = sphere(s[N:2*N], -q*c['negativeTauS']/(3*3600*c['negativeAh']), c['negativeTauS'])
            dq = q/3600
            return np.concatenate([dy, dx, [dq, c['turns']*abs(dq)/c['positiveAh']*(-np.sign(dq)-o)]])
        s = solve_ivp(f, (t[k-1], t[k]), np.concatenate([y, x, [below, on]]), method='BDF', rtol=1e-7, atol=1e-9).y[:, -1]
        y, x, below, on = s[:N], s[N:2*N], s[2*N], s[2*N+1]
        a = flow(below, on)
        gy = a*c['positiveTauS']/(3*3600*c['positiveAh']); gx = -a*c['negativeTauS']/(3*3600*c['negativeAh'])
    ys, xs = y[-1]+gy*h/2, x[-1]+gx*h/2
    eta = lambda s: 2*nernst*np.arcsinh(a/(4*c['exchangeA']*np.sqrt(s*(1-s))))
    out.append(up(ys)-un(xs)+c['branchV']*on-eta(ys)-eta(xs)-i*c['ohmicOhm'])
json.dump(out, sys.stdout)
`;

const course = (...legs: (readonly [seconds: number, amps: number, every: number])[]) => {
  const timeS = [0];
  const currentA = [0];
  for (const [seconds, amps, every] of legs)
    for (let s = 0; s < seconds; s += every) {
      timeS.push(timeS[timeS.length - 1]! + every);
      currentA.push(amps);
    }
  return { timeS, currentA };
};

describe('a nickel cell of two particles', () => {
  const cell = newNickelCell(6);

  it('agrees with scipy’s BDF on a finer grid through pulses, a charge and rests, within a millivolt on the whole and four at a step', () => {
    const { timeS, currentA } = course(
      [60, 0, 10],
      [60, 30, 5],
      [40, -20, 5],
      [600, 6, 20],
      [900, 0, 60],
      [900, -3, 30],
      [900, 0, 60],
    );
    const run = spawnSync('/usr/bin/python3', ['-c', SCIPY], {
      input: JSON.stringify({ cell, below: 1.8, branch: 0.7, timeS, currentA }),
      encoding: 'utf8',
    });
    if (run.status !== 0) throw new Error(run.stderr);
    const theirs = JSON.parse(run.stdout) as number[];
    const apart = nickelVoltage(cell, 1.8, 0.7, timeS, currentA, 25).map((v, k) => Math.abs(v - theirs[k]!));
    expect(Math.max(...apart)).toBeLessThan(0.004);
    expect(Math.sqrt(apart.reduce((s, a) => s + a * a, 0) / apart.length)).toBeLessThan(0.001);
  });

  it('remembers: at the same charge it rests higher after a charge than after a discharge, however long it rests', () => {
    const out = course([1800, 3, 30], [3600, -1.5, 30], [14_400, 0, 600]);
    const into = course([3600, -1.5, 30], [1800, 3, 30], [14_400, 0, 600]);
    const last = ({ timeS, currentA }: typeof out, start: number): number =>
      nickelVoltage({ ...cell, oxygenA: 0 }, start, 0, timeS, currentA, 25)[timeS.length - 1]!;
    const [charged, discharged] = [last(out, 3), last(into, 3)];
    // Both have the charge they began with; the gap is nearly all of what lies between the branches.
    expect(charged - discharged).toBeGreaterThan(1.5 * cell.branchV);
    expect(charged - discharged).toBeLessThan(2 * cell.branchV);
    expect(charged).toBeLessThan(nickelRestV(cell, 3, 1));
    expect(discharged).toBeGreaterThan(nickelRestV(cell, 3, -1));
  });

  it('loses more by itself the fuller it is, and less in the cold', () => {
    const days = course([5 * 86_400, 0, 7200]);
    const falls = (below: number, temperatureC: number): number => {
      const v = nickelVoltage(cell, below, -1, days.timeS, days.currentA, temperatureC);
      return v[0]! - v[v.length - 1]!;
    };
    expect(falls(0.3, 25)).toBeGreaterThan(2 * falls(3, 25));
    expect(falls(3, 5)).toBeLessThan(0.6 * falls(3, 25));
  });

  it('holds what its nickel holds, until the alloy is what is worn', () => {
    expect(nickelCapacity(cell)).toBeCloseTo(6, 9);
    expect(nickelCapacity(wornNickel(cell, 0.2, 0))).toBeCloseTo(4.8, 9);
    expect(nickelCapacity(wornNickel(cell, 0, 0.1))).toBeCloseTo(6, 9);
    expect(nickelCapacity(wornNickel(cell, 0, 0.3))).toBeLessThan(5);
  });

  it('gives a workshop a table that is the lower branch but for its full end', () => {
    const table = nickelTable(cell, 5);
    for (const [s, v] of table.slice(4, 15)) expect(v).toBeCloseTo(nickelRestV(cell, 6 * (1 - s), -1), 2);
    expect(table[20]![1] - nickelRestV(cell, 0, -1)).toBeGreaterThan(1.5 * cell.branchV);
    table.slice(1).forEach(([, v], i) => expect(v).toBeGreaterThanOrEqual(table[i]![1]));
  });
});

describe('packs of them', () => {
  it('come with every kind of record, as the app takes them', () => {
    const kinds = new Set<string>();
    const strings = new Set<number>();
    for (let seed = 1; seed <= 60; seed++) {
      const c = nickelCase(seed);
      if (!c) continue;
      kinds.add(c.recordClass);
      strings.add(c.pack.channels[0]!.cells);
      expect(checkProfile(c.pack.profile).faults.filter((f) => f.level === 'error')).toEqual([]);
      expect(c.record.simultaneous).toBe(c.recordClass !== 'polled');
      expect(c.record.voltageV.every((s) => s.value.some(Number.isFinite))).toBe(true);
    }
    expect([...kinds].sort()).toEqual([...RECORD_CLASSES].sort());
    expect([...strings].sort((a, b) => a - b)).toEqual([6, 12]);
  });

  it('stand beside lithium of every kind of record, the same of the same seed', () => {
    const seen = new Set<string>();
    for (let seed = 1; seed <= 50; seed++) {
      const c = particleCase(seed);
      if (c) seen.add(`${c.recordClass} ${c.pack.profile.chemistry === 'nimh' ? 'nickel' : 'lithium'}`);
    }
    for (const kind of RECORD_CLASSES) expect(seen).toContain(`${kind} lithium`);
    expect([...seen].filter((s) => s.endsWith('nickel')).length).toBeGreaterThanOrEqual(3);
    const polled = Array.from({ length: 50 }, (_, s) => s + 1).find(
      (s) => particleCase(s)?.recordClass === 'polled',
    )!;
    const [a, b] = [polled, polled].map((s) => particleCase(s)!.record.voltageV[2]!);
    expect(a!.value).toEqual(b!.value);
    expect(a!.timeS).not.toEqual(particleCase(polled)!.record.voltageV[3]!.timeS);
  });
});
