import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, type Chemistry } from '../../pack';
import { driveLegs, healthyPack, Random, simulateRecord, type Leg, type SimPack } from '../../simpack';
import { USUAL_BENDS } from './curveErrors';
import { FROM, PER_SOC } from '../cell/halfCells';
import { HEALTHY, hypothesesFor, OPEN } from './hypotheses';
import { observe } from './deviations';
import { placesOf } from './electrodePositions';
import { sampledCurve } from '../cell/sampledOcvCurve';
import { type ChannelFit, fitChannel } from './channelModel';
import { slopesOf } from './channelTerms';
import { gains } from './electrodeLoss';
import { healthyBaselineOf } from '../baseline/healthyBaseline';
import { BENT, byElectrode, PARAMETERS } from './parameters';

const packOf = (chemistry: Chemistry) =>
  normalisePack({
    name: 'twelve groups',
    chemistry,
    ratedCapacityAh: 40,
    channels: Array.from({ length: 12 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
    modules: [{ id: 'M1', channels: Array.from({ length: 12 }, (_, i) => `c${i + 1}`) }],
    nominalGroupResistanceMilliohm: 1.5,
    ocv: defaultOcvTable(chemistry),
  });

/** Every fault once, in records of several kinds: what is fitted is the fifth channel. */
const FAULTS: [string, (sim: SimPack) => void][] = [
  ['nothing', () => undefined],
  ['gap', (s) => (s.channels[4]!.deltaSoc = -0.07)],
  ['gap up', (s) => (s.channels[4]!.deltaSoc = 0.04)],
  ['capacity', (s) => (s.channels[4]!.capacityRatio = 0.84)],
  ['joint', (s) => (s.channels[4]!.ohmicRatio = 2.1)],
  ['offset', (s) => (s.channels[4]!.offsetV = 0.03)],
];
const RECORDS: [string, number, (r: Random) => Leg[]][] = [
  ['drive', 0.82, (r) => driveLegs(r, 25, 4, 2)],
  [
    'through',
    0.95,
    (r) => [
      { durationS: 600, currentA: 0, sampleS: 20 },
      ...driveLegs(r, 18, 27, 20),
      { durationS: 1500, currentA: 0, sampleS: 20 },
    ],
  ],
];

/** The same objective written down again in numpy, minimised by scipy from many sides. */
const SCIPY = `
import json, sys, numpy as np
from scipy.optimize import least_squares
x = json.load(sys.stdin)
A = {k: np.array(v) for k, v in x['arrays'].items()}
grid = np.arange(len(A['volt'])) / x['steps']
S = lambda s: np.interp(np.clip(s, 0, 1), grid, A['slope'])
V = lambda s: np.interp(np.clip(s, 0, 1), grid, A['volt']) + S(s) * (s - np.clip(s, 0, 1))
behind = np.arange(len(A['negative'])) / x['perSoc'] + x['from']
N = lambda s: np.interp(s, behind, A['negative'])
D = lambda s: np.interp(s, behind, A['negativeSlope'])
waves = [9.0, 20.0]
shapes = [7.0, 16.0, 36.0]
out = []
for h in x['hypotheses']:
    prior, mean = np.array(h['priorSd']), np.array(x['mean'])
    qp, qn = A['positiveDrawn'] + h['level'], A['negativeDrawn'] + h['level']
    s, sn = A['positive'], A['negativeAt']
    root = np.sqrt(x['weight'] * A['count'])
    fixed = [f(w * A['soc']) for w in shapes for f in (np.sin, np.cos)]
    def charge(t, d):
        return V(s + d) - V(s) + t[14] * (S(s + d) - A['slopes'])
    def waving(t, d):
        return sum(t[15 + 2 * j] * (np.sin(w * (s + d)) - np.sin(w * s)) + t[16 + 2 * j] * (np.cos(w * (s + d)) - np.cos(w * s)) for j, w in enumerate(waves))
    lag = lambda t: h['tied'] * t[2] + t[3]
    moved = lambda t: t[0] - t[1] * qp - t[4] * A['days'] - lag(t) * A['positiveLag']
    below = lambda t: t[0] - t[1] * qn - t[4] * A['days'] - lag(t) * A['negativeLag'] - t[6] - t[7] * (1 - sn)
    # The waves beside a table move with the electrode whose table it is.
    waved = lambda t: below(t) if x['bendsBehind'] else moved(t)
    def left(t):
        shape = sum(t[8 + j] * w for j, w in enumerate(fixed))
        minus = N(sn + below(t)) - N(sn) + t[14] * (D(sn + below(t)) - D(sn))
        r = A['deviation'] - (charge(t, moved(t)) + waving(t, waved(t)) - minus - t[2] * A['ohmic'] - lag(t) * A['slow'] + t[5] + shape)
        return np.concatenate([root * r, (t - mean) / prior])
    # By hand but for the charge, whose curve is a table: that by central differences.
    def jac(t):
        d, e = moved(t), 1e-6
        c = (charge(t, d + e) - charge(t, d - e)) / (2 * e)
        moving = lambda e: N(sn + below(t) + e) + t[14] * D(sn + below(t) + e)
        n = (moving(1e-5) - moving(-1e-5)) / 2e-5
        dw = waved(t)
        along = sum(w * (t[15 + 2 * j] * np.cos(w * (s + dw)) - t[16 + 2 * j] * np.sin(w * (s + dw))) for j, w in enumerate(waves))
        c, n = (c, n - along) if x['bendsBehind'] else (c + along, n)
        slow = A['slow'] + c * A['positiveLag'] - n * A['negativeLag']
        wave = [f(w * (s + dw)) - f(w * s) for w in waves for f in (np.sin, np.cos)]
        columns = [n - c, qp * c - qn * n, A['ohmic'] + h['tied'] * slow, slow, A['days'] * (c - n), -np.ones_like(s)]
        columns += [-n, -n * (1 - sn)]
        columns += [-w for w in fixed] + [A['slopes'] - S(s + d) + D(sn + below(t)) - D(sn)] + [-w for w in wave]
        return np.concatenate([(root * np.array(columns)).T, np.diag(1 / prior)])
    best = None
    for start in [[0, 0, 0], [-0.04, 0, 0], [-0.1, 0, 0], [0.05, 0, 0], [0, 0.2, 0]] + [[0, 0, 0.1]] * h['slips']:
        t0 = mean.copy(); t0[0], t0[1], t0[6] = start
        r = least_squares(left, t0, jac, x_scale=prior, max_nfev=120)
        if best is None or 2 * r.cost < best['cost']: best = {'cost': 2 * float(r.cost), 'theta': list(r.x)}
    out.append(best)
print(json.dumps(out))
`;
const STEPS = 4096;
/** Chi-square beyond the best from which an explanation is out of the question, thirty times what decides. */
const HOPELESS = 300;
const WANTED = [
  'imbalance',
  'low capacity, level at the start',
  'joint',
  'offset',
  'lithium lost',
  'negative material lost',
];

describe.each(['nmc', 'lfp'] as const)('the fit of one channel of %s', (chemistry) => {
  const pack = packOf(chemistry);
  const noiseV = 0.0009;
  const inflation = 1.5;

  it.each(RECORDS)(
    'finds the deepest valley that scipy.optimize.least_squares finds: %s',
    (_n, soc, legs) => {
      for (const [fault, change] of FAULTS) {
        const random = new Random(19);
        const sim = healthyPack(pack, random, 0.9);
        sim.startSoc = soc;
        change(sim);
        const record = simulateRecord(sim, legs(random), random);
        const plain = [...pack.channels.keys()];
        // As causes are weighed: with what the pack's majority says of its curve, and with the electrodes behind a flat one.
        const { observed, scatter } = healthyBaselineOf(
          record,
          pack,
          observe(record, pack),
          plain,
        ).byElectrodes();
        const bends = observed.bends ?? USUAL_BENDS;
        const slopes = slopesOf(observed);
        const channel = observed.channels[4]!;
        const { trajectory: t, curve, negative } = observed;
        const places = placesOf(observed);
        const fit = (h: typeof OPEN, also: ChannelFit[] = []): ChannelFit =>
          fitChannel(observed, slopes, channel, 1, scatter, h, noiseV, inflation, 8, false, also);
        // As the diagnosis goes about it: anything free first, and every explanation may start where another got to.
        const least = fit(OPEN);
        const hypotheses = [
          ...hypothesesFor(chemistry, negative !== null)
            .map((h) => h.hypothesis)
            .filter((h) => WANTED.includes(h.name)),
          // Whether a channel is odd at all is asked without those electrodes.
          ...(observed.bendsBehind ? [] : [OPEN]),
        ];
        let deepest = fit(HEALTHY, [least]);
        const ours = hypotheses.map((h) => {
          const found = fit(h, [deepest, least]);
          if (found.chiSquare < deepest.chiSquare) deepest = found;
          return found;
        });
        const at = <T extends ArrayLike<number>>(values: T): number[] =>
          [...channel.at].map((k) => values[k]!);
        const run = spawnSync('/usr/bin/python3', ['-c', SCIPY], {
          encoding: 'utf8',
          maxBuffer: 1 << 26,
          input: JSON.stringify({
            steps: STEPS,
            from: FROM,
            perSoc: PER_SOC,
            weight: 1 / (noiseV ** 2 * inflation),
            bendsBehind: observed.bendsBehind === true,
            mean: [...new Float64Array(BENT), ...bends.mean],
            arrays: {
              volt: [...sampledCurve(curve, negative).volt].slice(0, STEPS + 1),
              slope: [...sampledCurve(curve, negative).slope].slice(0, STEPS + 1),
              negative: [...(negative?.volt ?? [0, 0])],
              negativeSlope: [...(negative?.slope ?? [0, 0])],
              soc: at(t.socFraction),
              positive: at(places.positive),
              negativeAt: at(places.negative),
              slopes: at(slopes.positive),
              positiveDrawn: at(places.positiveDrawn),
              negativeDrawn: at(places.negativeDrawn),
              positiveLag: at(t.positiveLagAh).map((q) => q / t.capacityAh),
              negativeLag: at(t.negativeLagAh).map((q) => q / t.capacityAh),
              days: at(t.timeS).map((s) => (s - t.timeS[0]!) / 86400),
              ohmic: at(t.ohmicV),
              slow: at(t.slowV),
              deviation: [...channel.deviationV],
              count: [...channel.count],
            },
            hypotheses: hypotheses.map((h) => ({
              level: h.levelAt === 'full' ? Math.max(0, 1 - t.socFraction[0]!) : 0,
              tied: h.tied ? 1 : 0,
              slips: h.free.slip === undefined ? 0 : 1,
              priorSd: [
                h.free.soc ?? scatter.socFraction,
                h.free.capacity ?? scatter.capacity,
                h.free.ohmic ?? scatter.resistance,
                h.free.slow ?? (h.tied ? scatter.slow : Math.hypot(scatter.resistance, scatter.slow)),
                h.free.leak ?? scatter.leakPerDay,
                h.free.offset ?? scatter.offsetV,
                h.free.slip ?? scatter.slip,
                h.free.stretch ?? scatter.stretch,
                ...Array.from({ length: 6 }, () => scatter.shapeV),
                ...bends.sd,
              ],
            })),
          }),
        });
        if (run.status !== 0) throw new Error(run.stderr);
        const theirs = JSON.parse(run.stdout) as { cost: number; theta: number[] }[];
        const lowest = Math.min(...theirs.map((f) => f.cost), ...ours.map((f) => f.chiSquare));
        hypotheses.forEach((h, i) => {
          const found = ours[i]!.chiSquare;
          // On the side that the explanation forbids there is nothing to compare.
          if (h.positive && theirs[i]!.theta[PARAMETERS.indexOf(h.positive)]! <= 0) return;
          // Nor of lithium or material that grew: no such answer is ever given.
          if ([ours, theirs].every((f) => byElectrode(h) && gains({ theta: Float64Array.from(f[i]!.theta) })))
            return;
          // Every explanation is fitted as deep as scipy does it, or deeper; one that is hopeless has only to stay so.
          const hopeless = theirs[i]!.cost > lowest + HOPELESS && found > lowest + HOPELESS;
          if (!hopeless) expect(found, `${fault} as ${h.name}`).toBeLessThan(theirs[i]!.cost * 1.02 + 1);
        });
      }
    },
  );
});
