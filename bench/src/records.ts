import { randomUUID } from 'node:crypto';
import { startBench, type Client } from '../../server/test/harness';
import { medianMs, ms, printTable, type Line } from './table';

/** Fills a workshop with jobs and readings straight in SQL, as years of work would. */
async function fill(
  bench: Awaited<ReturnType<typeof startBench>>,
  jobs: number,
  readings: number,
): Promise<void> {
  const { sequelize } = bench.running.store;
  await sequelize.query(`
    INSERT INTO jobs (id, number, title, pack_profile_id, need, need_detail, need_stage, need_since, closed_at)
    SELECT gen_random_uuid(), 1000 + i, 'Vehicle ' || i, (SELECT id FROM pack_profiles ORDER BY name LIMIT 1 OFFSET i % 5), 'Decide', 'M07 low capacity', 'findings',
           now() - i * interval '1 hour', CASE WHEN i % 10 < 7 THEN now() - i * interval '1 hour' END
      FROM generate_series(1, ${jobs}) i`);
  await sequelize.query(`
    INSERT INTO readings (id, job_id, kind, place, value, unit, stage, observed_at, person_id)
    SELECT gen_random_uuid(), j.id, 'voltage', 'M01', 3.9, 'V', 'bench', now(), (SELECT id FROM people LIMIT 1)
      FROM (SELECT id, row_number() OVER () AS n FROM jobs) j, generate_series(1, ${Math.ceil(readings / (jobs + 5))}) r`);
  await sequelize.query('ANALYZE');
}

/** The board with 5,000 jobs and two million readings against 50 jobs; 200 posts at once. */
export async function benchRecords(): Promise<void> {
  const lines: Line[] = [];
  const boardTime = async (
    jobs: number,
    readings: number,
  ): Promise<[number, number, Client, Awaited<ReturnType<typeof startBench>>]> => {
    const bench = await startBench();
    await fill(bench, jobs, readings);
    const ina = await bench.as('Ina Holm');
    const time = await medianMs(25, async () => {
      const { status } = await ina.get('/api/jobs');
      if (status !== 200) throw new Error(`the board answered ${status}`);
    });
    const [[row]] = (await bench.running.store.sequelize.query(
      'SELECT (SELECT count(*) FROM jobs) AS jobs, (SELECT count(*) FROM readings) AS readings',
    )) as unknown as [[{ jobs: string; readings: string }]];
    console.log(`${row.jobs} jobs, ${row.readings} readings`);
    return [time, Number(row.readings), ina, bench];
  };
  const [small, , , smallBench] = await boardTime(50, 20_000);
  await smallBench.end();
  const [large, readings, ina, bench] = await boardTime(5000, 2_000_000);
  lines.push({
    what: `job board, 5000 jobs and ${(readings / 1e6).toFixed(1)} M readings`,
    ours: ms(large),
    against: `${ms(small)} with 50 jobs`,
    ratio: `${(large / small).toFixed(2)} ×`,
    aim: '≤ 2 ×',
    met: large / small <= 2,
  });

  const tags = Array.from({ length: 200 }, () => randomUUID());
  const body = (tag: string) => ({
    kind: 'note',
    text: tag,
    place: 'M01',
    stage: 'bench',
    observedAt: new Date().toISOString(),
  });
  const parallel = async (): Promise<void> => {
    const answers = await Promise.all(tags.map((t) => ina.post('/api/jobs/144/readings', body(t))));
    const bad = answers.filter((a) => a.status !== 201).length;
    if (bad > 0) console.log(`${bad} posts refused`);
  };
  const start = performance.now();
  await parallel();
  const at200 = performance.now() - start;
  const [[kept]] = (await bench.running.store.sequelize.query(
    'SELECT count(DISTINCT text) AS n FROM readings WHERE text IN (:tags)',
    { replacements: { tags } },
  )) as unknown as [[{ n: string }]];
  const oneByOne = performance.now();
  for (let i = 0; i < 20; i++) await ina.post('/api/jobs/144/readings', body(randomUUID()));
  const each = (performance.now() - oneByOne) / 20;
  lines.push({
    what: '200 readings posted at once, stored',
    ours: `${kept.n} of 200`,
    against: `${ms(at200)} together, ${ms(each)} each alone`,
    ratio: `${(at200 / 200 / each).toFixed(2)} × the time each`,
    aim: 'none lost',
    met: kept.n === '200',
  });
  await bench.end();
  printTable('Records', lines);
}
