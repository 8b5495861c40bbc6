/**
 * Pairs whose sums lie as near each other as may be, exactly. Of any modules that can be paired within a window of sums, the largest with
 * the smallest, the next with the next, lies within it too (exchanging two crossed pairs moves both sums inwards), so that only pairs
 * within pairs are looked at: the most of them in a window is a table over the modules from the i-th to the j-th.
 * @param steps what each holds, whole numbers, falling. @param pairs how many are wanted.
 * @param whole sums that are there already, least and most, less what is added to each pair; null where there are none.
 * @returns the pairs by index, null where there are too few modules
 * @example
 * // Of 5, 6, 7, 8 and 20 two pairs: 8 with 5 and 7 with 6, 13 each.
 */
export function pairUp(
  steps: readonly number[],
  pairs: number,
  whole: readonly [number, number] | null,
): { pairs: [number, number][]; spread: number } | null {
  const n = steps.length;
  if (n < 2 * pairs || pairs === 0) return null;
  const sums = new Set<number>(whole ?? []);
  for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) sums.add(steps[i]! + steps[j]!);
  const edges = [...sums].sort((a, b) => a - b);
  const most = new Int32Array((n + 1) * (n + 1));
  const at = (i: number, j: number): number => (i < j ? most[i * (n + 1) + j]! : 0);
  const isIn = (i: number, j: number, low: number, high: number): boolean =>
    steps[i]! + steps[j]! >= low && steps[i]! + steps[j]! <= high;
  const fill = (low: number, high: number): number => {
    for (let span = 1; span < n; span++)
      for (let i = 0; i + span < n; i++) {
        const j = i + span;
        const within = isIn(i, j, low, high) ? 1 + at(i + 1, j - 1) : 0;
        most[i * (n + 1) + j] = Math.max(at(i + 1, j), at(i, j - 1), within);
      }
    return at(0, n - 1);
  };
  let best: [number, number] | null = null;
  // The higher a window begins, the higher it ends: both edges only rise.
  let to = 0;
  for (const low of edges) {
    if (whole && low > whole[0]) break;
    while (
      to < edges.length &&
      ((whole && edges[to]! < whole[1]) || edges[to]! < low || fill(low, edges[to]!) < pairs)
    )
      to++;
    if (to === edges.length) break;
    if (!best || edges[to]! - low < best[1] - best[0]) best = [low, edges[to]!];
  }
  if (!best) return null;
  fill(...best);
  const out: [number, number][] = [];
  let [i, j] = [0, n - 1];
  while (i < j && out.length < pairs) {
    if (isIn(i, j, ...best) && at(i, j) === 1 + at(i + 1, j - 1)) {
      out.push([i, j]);
      i++;
      j--;
    } else if (at(i + 1, j) === at(i, j)) i++;
    else j--;
  }
  return { pairs: out, spread: best[1] - best[0] };
}
