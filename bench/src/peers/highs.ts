import type { ScheduleAsk } from '@cellmend/core/bench';
import type { SelectAsk } from '@cellmend/core/match';
import highsLoader from 'highs';

/** The same as a time-indexed integer programme for HiGHS (npm `highs`). */
export async function scheduleByHighs(ask: ScheduleAsk, horizon: number): Promise<number> {
  const g = ask.gridH;
  const H = Math.round(horizon / g);
  const rows: string[] = [];
  const binary: string[] = [];
  const use: { kw: string[]; person: string[]; channel: string[] }[] = Array.from({ length: H }, () => ({
    kw: [],
    person: [],
    channel: [],
  }));
  ask.modules.forEach((m, j) => {
    m.steps.forEach((s, k) => {
      const dur = Math.round(s.hours / g);
      const names: string[] = [];
      for (let t = Math.ceil(m.releaseH / g); t + dur <= H; t++) {
        if (
          s.attended &&
          !ask.workingWindowsH.some(([a, b]) => t * g >= a - 1e-9 && (t + dur) * g <= b + 1e-9)
        )
          continue;
        const x = `x${j}_${k}_${t}`;
        names.push(x);
        binary.push(x);
        for (let i = t; i < t + dur; i++) {
          use[i]!.kw.push(`${s.powerKw} ${x}`);
          if (s.attended) use[i]!.person.push(x);
          if (s.channel) use[i]!.channel.push(x);
        }
      }
      const start = names.map((x) => `${x.split('_')[2]!} ${x}`).join(' + ');
      rows.push(`${names.join(' + ')} = 1`);
      rows.push(`${start} - s${j}_${k} = 0`);
      if (k > 0) rows.push(`s${j}_${k} - s${j}_${k - 1} >= ${Math.round(m.steps[k - 1]!.hours / g)}`);
      rows.push(`c - s${j}_${k} >= ${dur}`);
    });
  });
  for (const u of use) {
    if (u.kw.length) rows.push(`${u.kw.join(' + ')} <= ${ask.powerBudgetKw}`);
    if (u.person.length) rows.push(`${u.person.join(' + ')} <= ${ask.persons}`);
    if (u.channel.length) rows.push(`${u.channel.join(' + ')} <= ${ask.channels}`);
  }
  const lp = `Minimize\n obj: c\nSubject To\n${rows.map((r, i) => ` r${i}: ${r}`).join('\n')}\nBinary\n ${binary.join(' ')}\nEnd\n`;
  const highs = await highsLoader();
  return highs.solve(lp).ObjectiveValue * g;
}

/** A programme of rows, solved by HiGHS; null where it has no solution. */
async function solved(
  sense: 'Maximize' | 'Minimize',
  objective: string,
  rows: readonly string[],
  binary: readonly string[],
): Promise<number | null> {
  const lp = `${sense}\n obj: ${objective}\nSubject To\n${rows.map((r, i) => ` r${i}: ${r}`).join('\n')}\nBinary\n ${binary.join(' ')}\nEnd\n`;
  const highs = await highsLoader();
  const answer = highs.solve(lp, { mip_rel_gap: 0, mip_abs_gap: 1e-6 });
  return answer.Status === 'Optimal' ? answer.ObjectiveValue : null;
}

/**
 * The choice that makes the weakest module strongest, then all alike in capacity, as two integer programmes: what is at most what the
 * weakest chosen holds is raised, then the distance from it to the strongest is lowered.
 */
export async function weakestFirstByHighs(
  ask: SelectAsk,
): Promise<{ leastCapacityAh: number; capacitySpreadAh: number } | null> {
  const c = ask.candidates;
  const most = Math.max(...c.map((x) => x.capacityAh));
  const [lowV, highV] = [
    Math.min(...c.map((x) => x.restVoltageV)),
    Math.max(...c.map((x) => x.restVoltageV)),
  ];
  const range = highV - lowV;
  const y = c.map((_, i) => `y${i}`);
  const spreadV = ask.limits.restVoltageSpreadMostV;
  const shared = [
    `${y.join(' + ')} = ${ask.positions}`,
    // v is the lowest rest voltage that is chosen, above the lowest there is: whoever is chosen lies within the spread above it.
    ...(spreadV == null
      ? []
      : c.flatMap((x, i) => [
          `v + ${range} y${i} <= ${x.restVoltageV - lowV + range}`,
          `v - ${range} y${i} >= ${x.restVoltageV - lowV - spreadV - range}`,
        ])),
  ];
  const least = c.map((x, i) => `z + ${most} y${i} <= ${x.capacityAh + most}`);
  const z = await solved('Maximize', 'z', [...shared, ...least], y);
  if (z === null) return null;
  const width = await solved(
    'Minimize',
    'w - z',
    [...shared, ...least, ...c.map((x, i) => `w - ${x.capacityAh} y${i} >= 0`), `z >= ${z - 1e-4}`],
    y,
  );
  return width === null ? null : { leastCapacityAh: z, capacitySpreadAh: width };
}

/** Blocks whose sums lie nearest, as an integer programme: each module in one block at most, the highest sum less the lowest is lowered. */
export async function blocksByHighs(ask: SelectAsk): Promise<number | null> {
  const blocks = ask.blocks ?? [];
  const x = ask.candidates.map((_, i) => blocks.map((_, b) => `x${i}_${b}`));
  const sumOf = (b: number): string =>
    ask.candidates.map((c, i) => `${c.capacityAh} ${x[i]![b]!}`).join(' + ');
  const lessOf = (b: number): string =>
    ask.candidates.map((c, i) => `- ${c.capacityAh} ${x[i]![b]!}`).join(' ');
  return solved(
    'Minimize',
    'high - low',
    [
      ...x.map((own) => `${own.join(' + ')} <= 1`),
      ...blocks.map((ps, b) => `${x.map((own) => own[b]!).join(' + ')} = ${ps.length}`),
      ...blocks.map((_, b) => `high ${lessOf(b)} >= 0`),
      ...blocks.map((_, b) => `${sumOf(b)} - low >= 0`),
    ],
    x.flat(),
  );
}
