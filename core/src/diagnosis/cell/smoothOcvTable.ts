/** Points that a table is refined to. */
const POINTS = 400;

/**
 * A table of a rest curve as a smooth one that is as monotone as its points (cubic pieces whose slopes are harmonic means; Fritsch and Butland, SIAM
 * J. Sci. Stat. Comput. 5 (1984) 300, from memory). Between two points 5 % of charge apart a step of an electrode is no straight line.
 */
export function smoothTable(table: readonly (readonly [number, number])[]): [number, number][] {
  const n = table.length;
  if (n < 3) return table.map(([s, v]) => [s, v]);
  const h = table.slice(1).map(([s], i) => s - table[i]![0]);
  const d = table.slice(1).map(([, v], i) => (v - table[i]![1]) / h[i]!);
  const inner = (i: number): number => {
    const [a, b] = [d[i - 1]!, d[i]!];
    if (a * b <= 0) return 0;
    const [w1, w2] = [2 * h[i]! + h[i - 1]!, h[i]! + 2 * h[i - 1]!];
    return (w1 + w2) / (w1 / a + w2 / b);
  };
  const end = (h0: number, h1: number, d0: number, d1: number): number => {
    const m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (m * d0 <= 0) return 0;
    return d0 * d1 <= 0 && Math.abs(m) > 3 * Math.abs(d0) ? 3 * d0 : m;
  };
  const m = table.map((_, i) =>
    i === 0
      ? end(h[0]!, h[1]!, d[0]!, d[1]!)
      : i === n - 1
        ? end(h[n - 2]!, h[n - 3]!, d[n - 2]!, d[n - 3]!)
        : inner(i),
  );
  const [first, last] = [table[0]![0], table[n - 1]![0]];
  let at = 0;
  let highest = -Infinity;
  return Array.from({ length: POINTS + 1 }, (_, k): [number, number] => {
    const s = first + ((last - first) * k) / POINTS;
    while (at < n - 2 && s > table[at + 1]![0]) at++;
    const t = (s - table[at]![0]) / h[at]!;
    const [a, b] = [table[at]![1], table[at + 1]![1]];
    // Rounding must not make it fall.
    highest = Math.max(
      highest,
      (1 + 2 * t) * (1 - t) ** 2 * a +
        t * (1 - t) ** 2 * h[at]! * m[at]! +
        t * t * (3 - 2 * t) * b +
        t * t * (t - 1) * h[at]! * m[at + 1]!,
    );
    return [s, highest];
  });
}
