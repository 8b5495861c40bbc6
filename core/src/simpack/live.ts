import { factsOf, ocvCurve, type OcvCurve } from '../pack';
import { Random } from './random';
import { channelVolts, quantise, type SimPack } from './simulate';

/** A simulated pack that runs on: stepped forward in time under a current, read at any moment. */
export class LivePack {
  timeS = 0;
  drawnAh = 0;
  currentA = 0;
  private readonly curve: OcvCurve;
  private readonly stepV: number;
  private readonly lags: Float64Array;

  constructor(
    readonly sim: SimPack,
    private readonly random = new Random(1),
  ) {
    this.curve = ocvCurve(sim.pack.profile.ocv);
    this.stepV = factsOf(sim.pack.profile.chemistry).sensorStepV;
    this.lags = new Float64Array(sim.slow.length);
  }

  /** Lets time pass under a constant current, A, positive on discharge. */
  step(dtS: number, currentA: number): void {
    this.currentA = currentA;
    this.timeS += dtS;
    this.drawnAh += (currentA * dtS) / 3600;
    this.sim.slow.forEach((part, j) => {
      const decay = Math.exp(-dtS / part.tauS);
      this.lags[j] = this.lags[j]! * decay + currentA * (1 - decay);
    });
  }

  /** What the board would report of a channel now, V: noisy and in sensor steps. */
  readV(channel: number): number {
    return quantise(this.trueV(channel) + this.random.normal(this.sim.noiseV), this.stepV);
  }

  trueV(channel: number): number {
    let slowV = 0;
    this.sim.slow.forEach((part, j) => (slowV += part.ohm * this.lags[j]!));
    return channelVolts(this.sim, this.curve, channel, this.drawnAh, this.timeS, this.currentA, slowV);
  }

  /** Charge of the typical channel, fraction. */
  get socFraction(): number {
    return this.sim.startSoc - this.drawnAh / this.sim.capacityAh;
  }
}
