import { covarianceOf, logDeterminant, solveSpd } from './linear';

/** All that one channel's readings say of the parameters while they are small: sums that no prior enters. */
export interface Sums {
  info: Float64Array;
  rhs: Float64Array;
}

/** Logarithm of the likelihood of a channel's readings with the parameters integrated out, but for what no prior changes. */
export function evidenceOf(info: Float64Array, rhs: Float64Array, prior: readonly number[]): number {
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
  private readonly prior: number[];
  /** Under the present priors. */
  now: number;

  constructor({ info, rhs }: Pick<Sums, 'info' | 'rhs'>, prior: readonly number[]) {
    const n = rhs.length;
    const all = info.slice();
    for (let j = 0; j < n; j++) all[j * (n + 1)]! += 1 / prior[j]! ** 2;
    this.covariance = covarianceOf(all, [...rhs.keys()]);
    this.mean = solveSpd(all, rhs);
    this.prior = [...prior];
    this.now = evidenceOf(info, rhs, prior);
  }

  /** With the priors of the parameters `of` changed. */
  under(of: readonly number[], prior: readonly number[]): Known {
    const covariance = this.covariance.slice();
    const mean = this.mean.slice();
    const now = this.now + change(covariance, mean, of, this.prior, prior);
    const changed = [...this.prior];
    of.forEach((j, i) => (changed[j] = prior[i]!));
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
  prior: readonly number[];
}

/** What it brings where one parameter alone may lie further off, `sd` from nothing. */
export function freed(
  { mean, covariance, prior }: Omit<Known, 'now'>,
  parameter: number,
  sd: number,
): number {
  const more = 1 / sd ** 2 - 1 / prior[parameter]! ** 2;
  const by = 1 + more * covariance[parameter * (mean.length + 1)]!;
  return -0.5 * ((more * mean[parameter]! ** 2) / by + Math.log(by)) - Math.log(sd / prior[parameter]!);
}

/** What it brings two channels together where `parameter` of the one is off by what that of the other is off the other way, by `sd`. */
export function opposed(a: Omit<Known, 'now'>, b: Omit<Known, 'now'>, parameter: number, sd: number): number {
  let [info, rhs] = [0, 0];
  [a, b].forEach(({ mean, covariance, prior }, k) => {
    const variance = covariance[parameter * (mean.length + 1)]!;
    const usual = prior[parameter]! ** 2;
    // What the readings alone say of it, apart from the prior, and less sure by how far it may lie off without the other.
    const own = Math.max(0, 1 / variance - 1 / usual);
    info += own / (1 + usual * own);
    rhs += ((k === 0 ? 1 : -1) * mean[parameter]!) / variance / (1 + usual * own);
  });
  return 0.5 * (rhs ** 2 / (info + sd ** -2) - Math.log1p(sd ** 2 * info));
}

/**
 * What a change of priors brings, one rank-one update of covariance and mean (in place) after the other: Sherman and Morrison, Ann. Math. Statist. 21 (1950)
 * 124, and the lemma of the determinant, from memory.
 */
function change(
  covariance: Float64Array,
  mean: Float64Array,
  of: readonly number[],
  before: readonly number[],
  after: readonly number[],
): number {
  const n = mean.length;
  let gained = 0;
  of.forEach((j, i) => {
    gained += freed({ mean, covariance, prior: before }, j, after[i]!);
    const more = 1 / after[i]! ** 2 - 1 / before[j]! ** 2;
    const by = 1 + more * covariance[j * (n + 1)]!;
    const at = mean[j]!;
    const row = covariance.slice(j * n, (j + 1) * n);
    for (let a = 0; a < n; a++) {
      const share = (more * row[a]!) / by;
      mean[a]! -= share * at;
      for (let b = 0; b < n; b++) covariance[a * n + b]! -= share * row[b]!;
    }
  });
  return gained;
}
