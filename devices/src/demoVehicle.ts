import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { healthyPack, Random, type SimPack } from '@cellmend/core/simpack';

/**
 * A pack for the demo vehicle: like any other of its profile, with one group worn and one out of balance, so that
 * there is something to find while it drives.
 */
export function demoVehiclePack(profile: PackProfile, seed = 5): SimPack {
  const random = new Random(seed);
  const sim = healthyPack(normalisePack(profile), random, 0.88);
  sim.startSoc = 0.82;
  const n = sim.channels.length;
  const worn = sim.channels[Math.floor(n * 0.3)]!;
  worn.ohmicRatio *= 1.9;
  worn.slowRatio *= 1.9;
  sim.channels[Math.floor(n * 0.7)]!.deltaSoc -= 0.05;
  return sim;
}
