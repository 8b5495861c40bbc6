import { covarianceOf, logDeterminant, solveSpd } from './linearAlgebra';

/** All that one channel's readings say of the parameters while they are small: sums that no prior enters. */
export interface Sums {
  info: Float64Array;
  rhs: Float64Array;
}

/** Logarithm of the likelihood of a channel's readings with the parameters integrated out, but for what no prior changes. */
export function marginalLikelihood(info: Float64Array, rhs: Float64Array, prior: readonly number[]): number {
  const n = rhs.length;
  const m = new Float64Array(n * n);
  const z = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    z[i] = prior[i]! * rhs[i]!;
    for (let j = 0; j < n; j++) m[i * n + j] = prior[i]! * prior[j]! * info[i * n + j]!;
    m[i * (n + 1)]! += 1;
  }
  const x = solveSpd(m, z);
  return 0.5 * (x.reduce((s, v, i) => s + v * z[i]!, 0) - logDeterminant(m));
}

/** The same where one prior after another is changed: the covariance under the present ones tells of every change at once. */
export class Evidence {
  private readonly covariance: Float64Array;
  private readonly mean: Float64Array;
  private readonly prior: Float64Array;
  /** Under the present priors. */
  now: number;

  /** @param asked the directions that are asked of where one prior changes; nothing else is told then */
  constructor(
    { info, rhs }: Pick<Sums, 'info' | 'rhs'>,
    prior: readonly number[],
    private readonly asked: readonly Direction[] = [],
  ) {
    const n = rhs.length;
    const all = info.slice();
    for (let j = 0; j < n; j++) all[j * (n + 1)]! += 1 / prior[j]! ** 2;
    this.covariance = covarianceOf(all, [...rhs.keys()]);
    this.mean = solveSpd(all, rhs);
    this.prior = Float64Array.from(prior);
    this.now = marginalLikelihood(info, rhs, prior);
  }

  /** What is known under the present priors, until they change. */
  get known(): Known {
    const { now, mean, covariance, prior } = this;
    return { now, mean, covariance, prior };
  }

  /** With the priors of the parameters `of` changed. */
  under(of: readonly number[], prior: readonly number[]): Known {
    if (of.length === 1 && this.asked.length > 0) return this.underOne(of[0]!, prior[0]!);
    const covariance = this.covariance.slice();
    const mean = this.mean.slice();
    const now = this.now + change(covariance, mean, of, this.prior, prior);
    const changed = this.prior.slice();
    of.forEach((j, i) => (changed[j] = prior[i]!));
    return { now, mean, covariance, prior: changed };
  }

  /** How likely the readings are with the priors of the parameters `of` changed, and nothing else. */
  nowUnder(of: readonly number[], prior: readonly number[]): number {
    const n = this.mean.length;
    const mean = Float64Array.from(of, (j) => this.mean[j]!);
    const before = Float64Array.from(of, (j) => this.prior[j]!);
    const covariance = new Float64Array(of.length ** 2);
    of.forEach((j, a) => of.forEach((k, b) => (covariance[a * of.length + b] = this.covariance[j * n + k]!)));
    return this.now + change(covariance, mean, [...of.keys()], before, prior);
  }

  /** The same for one parameter, as far as is asked: the rest of the covariance stays as it was. */
  private underOne(j: number, sd: number): Known {
    const { covariance: of, mean: at, prior } = this;
    const n = at.length;
    const more = 1 / sd ** 2 - 1 / prior[j]! ** 2;
    const by = 1 + more * of[j * (n + 1)]!;
    const now = this.now - 0.5 * ((more * at[j]! ** 2) / by + Math.log(by)) - Math.log(sd / prior[j]!);
    const covariance = new Float64Array(n * n);
    const mean = new Float64Array(n);
    for (let k = 0; k < this.asked.length; k++) {
      const parameters = this.asked[k]!.at;
      for (let l = 0; l < parameters.length; l++) {
        const a = parameters[l]!;
        const share = (more * of[j * n + a]!) / by;
        mean[a] = at[a]! - share * at[j]!;
        for (let m = 0; m < parameters.length; m++) {
          const b = parameters[m]!;
          covariance[a * n + b] = of[a * n + b]! - share * of[j * n + b]!;
        }
      }
    }
    const changed = prior.slice();
    changed[j] = sd;
    return { now, mean, covariance, prior: changed };
  }

  /** Changes them for good. */
  set(of: readonly number[], prior: readonly number[]): void {
    this.now += change(this.covariance, this.mean, of, this.prior, prior);
    of.forEach((j, i) => (this.prior[j] = prior[i]!));
  }
}

/** What a channel's readings say under some priors: how likely they are, and of every parameter its mean and covariance. */
export interface Known {
  /** Logarithm of the likelihood, but for what no prior changes. */
  now: number;
  mean: Float64Array;
  covariance: Float64Array;
  prior: Float64Array;
}

/** Parameters that go together, each in so many units. */
export interface Direction {
  at: readonly number[];
  units: readonly number[];
}

/** What the readings say of a direction beyond what is supposed of its parameters: information, and that times the likeliest size. */
function beyond(
  { mean, covariance, prior }: Omit<Known, 'now'>,
  { at, units }: Direction,
): { info: number; rhs: number } {
  const n = mean.length;
  let [info, rhs] = [0, 0];
  for (let k = 0; k < at.length; k++) {
    const i = at[k]!;
    const by = units[k]! / prior[i]! ** 2;
    rhs += by * mean[i]!;
    info += by * units[k]!;
    for (let l = 0; l < at.length; l++)
      info -= by * (units[l]! / prior[at[l]!]! ** 2) * covariance[i * n + at[l]!]!;
  }
  return { info: Math.max(0, info), rhs };
}
/** Logarithm of how much likelier what shows is where it may be of any size, `sd` from nothing. */
const gained = ({ info, rhs }: { info: number; rhs: number }, sd: number): number =>
  0.5 * (rhs ** 2 / (info + sd ** -2) - Math.log1p(sd ** 2 * info));

/** What it brings where a channel may be off in one direction as well, `sd` from nothing. */
export const added = (known: Omit<Known, 'now'>, of: Direction, sd: number): number =>
  gained(beyond(known, of), sd);

/** What it brings two channels together where the one is off in a direction by what the other is off the other way. */
export function opposed(a: Omit<Known, 'now'>, b: Omit<Known, 'now'>, of: Direction, sd: number): number {
  const [one, other] = [beyond(a, of), beyond(b, of)];
  return gained({ info: one.info + other.info, rhs: one.rhs - other.rhs }, sd);
}

/**
 * What a change of priors brings, one rank-one update of covariance and mean (in place) after the other: Sherman and Morrison, Ann. Math. Statist. 21 (1950)
 * 124, and the lemma of the determinant, from memory.
 */
function change(
  covariance: Float64Array,
  mean: Float64Array,
  of: readonly number[],
  before: Float64Array,
  after: readonly number[],
): number {
  const n = mean.length;
  let brought = 0;
  of.forEach((j, i) => {
    const more = 1 / after[i]! ** 2 - 1 / before[j]! ** 2;
    const by = 1 + more * covariance[j * (n + 1)]!;
    const at = mean[j]!;
    brought -= 0.5 * ((more * at * at) / by + Math.log(by)) + Math.log(after[i]! / before[j]!);
    const row = covariance.slice(j * n, (j + 1) * n);
    for (let a = 0; a < n; a++) {
      const share = (more * row[a]!) / by;
      mean[a]! -= share * at;
      for (let b = 0; b < n; b++) covariance[a * n + b]! -= share * row[b]!;
    }
  });
  return brought;
}
