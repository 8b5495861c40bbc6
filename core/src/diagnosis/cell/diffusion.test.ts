import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { beadGraphiteCase, physicsCase, Random, randomCase, shakenCase, type SimCase } from '../../simpack';
import { diagnose } from '../decide/diagnose';
import { lag, diffusionResponse } from './diffusion';
import { widened } from '../baseline/healthyBaseline';
import { observe } from '../channel/deviations';

/** Debian's Python with scipy: the same problem solved by somebody else. */
function python<T>(code: string, input: unknown): T {
  const run = spawnSync(
    '/usr/bin/python3',
    ['-c', `import json, sys, numpy as np\nx = json.load(sys.stdin)\n${code}`],
    {
      input: JSON.stringify(input),
      encoding: 'utf8',
    },
  );
  if (run.status !== 0) throw new Error(run.stderr);
  return JSON.parse(run.stdout) as T;
}

/** A drive of steps, a charge and a rest, in uneven samples. */
function drive(): { timeS: Float64Array; currentA: Float64Array } {
  const random = new Random(8);
  const timeS = [0];
  const currentA = [0];
  for (let leg = 0; leg < 40; leg++) {
    const amps = leg < 30 ? random.uniform(-30, 90) : leg < 33 ? -40 : 0;
    for (let k = 0; k < 6; k++) {
      timeS.push(timeS[timeS.length - 1]! + random.uniform(5, 40));
      currentA.push(amps);
    }
  }
  return { timeS: Float64Array.from(timeS), currentA: Float64Array.from(currentA) };
}

describe('what lags behind the current', () => {
  it('through one time constant is what scipy integrates', () => {
    const { timeS, currentA } = drive();
    const theirs = python<number[]>(
      `from scipy.integrate import solve_ivp
t = np.array(x['t']); i = np.array(x['i'])
r = solve_ivp(lambda s, y: (np.interp(s, t, i) - y) / 90, (t[0], t[-1]), [0], t_eval=t, rtol=1e-8, atol=1e-8, max_step=2)
print(json.dumps(list(r.y[0])))`,
      { t: [...timeS], i: [...currentA] },
    );
    lag(timeS, currentA, 90).forEach((v, k) => expect(v).toBeCloseTo(theirs[k]!, 3));
  });

  it('at the surface of a sphere is what scipy finds by diffusion in four hundred shells', () => {
    const { timeS, currentA } = drive();
    const radiusS = 5000;
    // Unit sphere, flux at its surface: in the end the surface is a fifth of the gradient ahead of the mean.
    const theirs = python<number[]>(
      `from scipy.integrate import solve_ivp
from scipy.sparse import diags
n = 400; e = 1 - (1 - np.arange(n + 1) / n) ** 2; v = (e[1:] ** 3 - e[:-1] ** 3) / 3; c = (e[1:] + e[:-1]) / 2
flow = e[1:-1] ** 2 / np.diff(c)
t = np.array(x['t']); i = np.array(x['i']); T = x['radiusS']
lower = flow / v[1:]; upper = flow / v[:-1]
A = diags([lower, -np.concatenate([upper, [0]]) - np.concatenate([[0], lower]), upper], [-1, 0, 1]) / T
def f(s, y):
    d = A @ y
    d[-1] += np.interp(s, t, i) / v[-1] / T
    return d
r = solve_ivp(f, (t[0], t[-1]), np.zeros(n), method='BDF', t_eval=t, rtol=1e-6, atol=1e-6, jac=A.tocsc(), max_step=10)
surface = r.y[-1] + i * (1 - c[-1])
print(json.dumps(list(5 * (surface - 3 * (v @ r.y)))))`,
      { t: [...timeS], i: [...currentA], radiusS },
    );
    const ours = diffusionResponse(timeS, currentA, radiusS / 4.493409 ** 2);
    const most = Math.max(...theirs.map(Math.abs));
    expect(most).toBeGreaterThan(15);
    const off = [...ours].map((v, k) => Math.abs(v - theirs[k]!) / most).sort((a, b) => a - b);
    // A step of current is felt at the surface at once; the modes that are left out follow it with one lag.
    expect(off[Math.floor(0.95 * off.length)]!).toBeLessThan(0.02);
    expect(off[off.length - 1]!).toBeLessThan(0.06);
  });
});

describe('diffusion on a flat curve', () => {
  const most = (c: SimCase): number => {
    const { positiveLagAh, capacityAh } = observe(c.record, c.pack).trajectory;
    return Math.max(...positiveLagAh.map(Math.abs)) / capacityAh;
  };
  it.each([730_003, 730_065, 730_083])('is seen in a pack of particles (%i)', (seed) => {
    expect(most(physicsCase(seed)!)).toBeGreaterThan(0.005);
  });
  it.each([730_002, 730_110, 730_171])('and in none of circuits (%i)', (seed) => {
    expect(most(shakenCase(seed)!)).toBeLessThan(1e-4);
  });
});

describe('a load that is read by diffusion', () => {
  const told = ({ record, pack, faults }: SimCase) => {
    const { findings } = diagnose(record, pack);
    const faulty = new Map(faults.map((f) => [pack.channels[f.channelIndex]!.id, f.verdict]));
    return {
      wrong: findings.filter((f) => !faulty.has(f.channel)),
      right: [...faulty].every(([c, v]) => findings.some((f) => f.channel === c && f.verdict === v)),
    };
  };
  // Under lags of one time constant alone these were sense faults, the surest of wrong verdicts.
  it.each([730_017, 730_021, 730_038])('tells charge that is missing from a wrong reading (%i)', (seed) => {
    expect(told(physicsCase(seed)!)).toEqual({ wrong: [], right: true });
  });
  // And of these ninety-six channels four and seventeen had lost capacity.
  it.each([physicsCase, beadGraphiteCase])(
    'finds no lost capacity in healthy channels of a flat pack (%#)',
    (make) => {
      const { wrong } = told(make(700_225)!);
      expect(wrong.filter((f) => f.verdict !== 'undetermined')).toEqual([]);
      expect(wrong.length).toBeLessThanOrEqual(1);
    },
  );
});

describe('chance among the many pairs of a long string', () => {
  it.each([
    [randomCase, 730_238],
    [shakenCase, 730_164],
    [shakenCase, 730_260],
    [physicsCase, 700_087],
  ])('is no tap wire (%#)', (make, seed) => {
    const { record, pack, faults } = make(seed)!;
    const faulty = new Set(faults.map((f) => pack.channels[f.channelIndex]!.id));
    const { findings } = diagnose(record, pack);
    expect(findings.filter((f) => f.pairedWith !== undefined && !faulty.has(f.channel))).toEqual([]);
  });
  it('and a wire between two that are off by 22 mV each is one', () => {
    const { record, pack, faults } = shakenCase(700_032)!;
    expect(faults.map((f) => Math.round(f.size!))).toEqual([-23, 22]);
    const told = diagnose(record, pack).findings.filter((f) => f.pairedWith !== undefined);
    expect(told.map((f) => f.channel).sort()).toEqual(
      faults.map((f) => pack.channels[f.channelIndex]!.id).sort(),
    );
  });
});

it('what differs in few channels is as odd at the limit as scipy.stats.t has it', () => {
  const usual = {
    socFraction: 0.01,
    capacity: 0.01,
    resistance: 0.02,
    slow: 0.02,
    leakPerDay: 1e-4,
    offsetV: 0.001,
    slip: 0.01,
    stretch: 0.01,
    shapeV: 0.001,
  };
  for (const channels of [8, 14, 24, 96]) {
    const wide = widened(usual, channels, 13.5);
    const squared = ((wide.offsetV / usual.offsetV) ** 2 / (1 + 1.57 / channels)) * 13.5;
    const [odd] = python<number[]>(
      `from scipy.stats import t
print(json.dumps([float(2 * (t.logpdf(0, x['n'] - 1) - t.logpdf(np.sqrt(x['q']), x['n'] - 1)))]))`,
      { n: channels, q: squared },
    );
    expect(odd).toBeCloseTo(13.5, 6);
    expect(wide.shapeV).toBe(usual.shapeV);
  }
});
