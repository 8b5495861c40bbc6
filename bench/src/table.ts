/** One line of the benchmark table: a ratio against a peer or baseline measured in the same run, with its aim. */
export interface Line {
  what: string;
  ours: string;
  against: string;
  ratio: string;
  aim: string;
  met: boolean;
}

export function printTable(title: string, lines: Line[]): void {
  console.log(`\n${title}`);
  const head: Line = {
    what: 'what',
    ours: 'ours',
    against: 'against',
    ratio: 'figure',
    aim: 'aim',
    met: true,
  };
  const keys = ['what', 'ours', 'against', 'ratio', 'aim'] as const;
  const width = Object.fromEntries(
    keys.map((k) => [k, Math.max(...[head, ...lines].map((l) => l[k].length))]),
  );
  for (const l of [head, ...lines])
    console.log(
      keys.map((k) => l[k].padEnd(width[k]!)).join('  ') + (l === head ? '' : l.met ? '  met' : '  NOT MET'),
    );
}

/** Median wall time of several runs, ms; the first run is thrown away. */
export async function medianMs(runs: number, work: () => Promise<unknown> | unknown): Promise<number> {
  const times: number[] = [];
  for (let i = 0; i <= runs; i++) {
    const start = performance.now();
    await work();
    if (i > 0) times.push(performance.now() - start);
  }
  return times.sort((a, b) => a - b)[Math.floor(times.length / 2)]!;
}
export const ms = (v: number): string => `${v.toFixed(v < 10 ? 2 : 0)} ms`;
