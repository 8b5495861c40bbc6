/** A small seeded generator (mulberry32): the same seed gives the same pack on every machine. */
export class Random {
  constructor(private state: number) {}

  /** Uniform in [0, 1). */
  uniform(low = 0, high = 1): number {
    this.state = (this.state + 0x6d2b79f5) | 0;
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return low + (((t ^ (t >>> 14)) >>> 0) / 4294967296) * (high - low);
  }

  /** Normal with the given standard deviation, cut at ± `cut` of them. */
  normal(sd = 1, cut = 2.8): number {
    for (;;) {
      const u = Math.sqrt(-2 * Math.log(1 - this.uniform())) * Math.cos(2 * Math.PI * this.uniform());
      if (Math.abs(u) <= cut) return u * sd;
    }
  }

  integer(low: number, high: number): number {
    return Math.floor(this.uniform(low, high + 1));
  }

  pick<T>(items: readonly T[]): T {
    return items[this.integer(0, items.length - 1)]!;
  }
}
