import { factsOf } from '../pack';
import type { ScanRecord } from '../scan';
import { branchOf } from '../diagnosis/cell/hysteresis';
import { fitChannel } from '../diagnosis/channel/channelModel';
import { slopesOf } from '../diagnosis/channel/channelTerms';
import { hypothesesFor } from '../diagnosis/channel/hypotheses';
import type { DeviationSet } from '../diagnosis/channel/deviations';
import type { Trajectory } from '../diagnosis/cell/typicalCell';
import type { SimFault } from './fault';
import { Random } from './random';
import { simulateRecord, trueCurve, TYPICAL, type Leg, type SimPack } from './simulate';

/**
 * How far the best wrong explanation is from fitting, by chi-square, on the noise-free course with everything known
 * of the pack: above 18 the cause can be told, below 4 it cannot, in between it is left out. Also how plainly the
 * fault stands out.
 */
export function separation(
  sim: SimPack,
  legs: readonly Leg[],
  fault: SimFault,
): { detect: number; separate: number } {
  const typical: SimPack = {
    ...sim,
    channels: sim.channels.map(() => TYPICAL),
  };
  const quiet = (s: SimPack): SimPack => ({ ...s, noiseV: 0, channels: s.channels.map((c) => ({ ...c })) });
  const exact = (s: SimPack): ScanRecord => simulateRecord(quiet(s), legs, new Random(1));
  const own = exact(sim).voltageV[fault.channelIndex]!;
  const others = exact(typical).voltageV[fault.channelIndex]!;
  const { pack } = sim;
  const { cells } = pack.channels[fault.channelIndex]!;
  const curve = trueCurve(pack);
  const { hysteresis } = sim;
  const n = own.timeS.length;
  const zero = new Float64Array(n);
  const currentA = new Float64Array(n);
  let at = 0;
  legs.forEach((leg) => {
    for (let k = 0; k < Math.round(leg.durationS / leg.sampleS); k++) currentA[++at] = leg.currentA;
  });
  const drawnAh = new Float64Array(n);
  const slowV = new Float64Array(n);
  sim.slow.forEach((part) => {
    let x = 0;
    for (let k = 1; k < n; k++) {
      const decay = Math.exp(-(own.timeS[k]! - own.timeS[k - 1]!) / part.tauS);
      x = x * decay + currentA[k]! * (1 - decay);
      slowV[k]! += part.ohm * x;
    }
  });
  for (let k = 1; k < n; k++)
    drawnAh[k] = drawnAh[k - 1]! + (currentA[k]! * (own.timeS[k]! - own.timeS[k - 1]!)) / 3600;
  const trajectory: Trajectory = {
    timeS: own.timeS,
    currentA,
    slow1A: zero,
    slow2A: zero,
    drawnAh,
    typicalV: zero,
    socFraction: drawnAh.map(
      (q, k) => sim.startSoc - q / sim.capacityAh - (sim.baseLeakPerDay * own.timeS[k]!) / 86400,
    ),
    ohmicV: currentA.map((i) => i * sim.ohmicOhm),
    slowV,
    capacityAh: sim.capacityAh,
    capacitySdAh: 0,
    resistanceOhm: sim.ohmicOhm,
    tau1S: 1,
    tau2S: 1,
    alone: null,
    positiveLagAh: zero,
    negativeLagAh: zero,
    ageing: null,
    levelV: 0,
    branch:
      hysteresis === undefined
        ? null
        : branchOf(
            { halfV: hysteresis.halfV, startV: hysteresis.halfV * hysteresis.start, topV: 0 },
            hysteresis.turns,
            drawnAh,
            own.timeS.map((t) => t / 86400),
            sim.baseLeakPerDay,
            sim.capacityAh,
          ),
    unsteady: new Uint8Array(n),
  };
  const observed: DeviationSet = {
    curve,
    negative: null,
    trajectory,
    channels: [],
    leftOut: [],
    readingsPerMoment: 1,
  };
  const channel = {
    at: Int32Array.from({ length: n }, (_, k) => k),
    deviationV: own.value.map((v, k) => v - others.value[k]!),
    count: new Float64Array(n).fill(1),
  };
  const noiseV = Math.hypot(sim.noiseV, cells > 1 ? 0.003 : 0.0003);
  const fit = (h: Parameters<typeof fitChannel>[5]): number =>
    fitChannel(
      observed,
      slopesOf(observed),
      channel,
      cells,
      factsOf(pack.profile.chemistry).healthy,
      h,
      noiseV,
      Math.max(1, n / 150),
      8,
    ).chiSquare;
  const right: number[] = [];
  const wrong: number[] = [];
  for (const { verdict, hypothesis } of hypothesesFor(pack.profile.chemistry)) {
    // Imbalance and leakage together are no single explanation.
    if (hypothesis.penalty === 0) (verdict === fault.verdict ? right : wrong).push(fit(hypothesis));
  }
  const healthy = fit({ name: 'healthy', free: {}, levelAt: 'start', tied: true, penalty: 0 });
  return { detect: healthy - Math.min(...right), separate: Math.min(...wrong) - Math.min(...right) };
}
