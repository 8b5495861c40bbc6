import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { writeScanCsv } from '@cellmend/core/scan';
import { driveLegs, healthyPack, Random, simulateRecord } from '@cellmend/core/simpack';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
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
    INSERT INTO jobs (id, number, title, pack_id, need, need_detail, need_stage, need_since, closed_at)
    SELECT gen_random_uuid(), 1000 + i, 'Vehicle ' || i, (SELECT id FROM packs ORDER BY label LIMIT 1 OFFSET i % 5), 'Decide', 'M07 low capacity', 'findings',
           now() - i * interval '1 hour', CASE WHEN i % 10 < 7 THEN now() - i * interval '1 hour' END
      FROM generate_series(1, ${jobs}) i`);
  await observe(bench, Math.ceil(readings / (jobs + 5)));
  await sequelize.query('ANALYZE');
}

/** So many voltages for every job, or for one. */
async function observe(
  bench: Awaited<ReturnType<typeof startBench>>,
  each: number,
  job: number | null = null,
): Promise<void> {
  await bench.running.store.sequelize.query(
    `INSERT INTO observations (id, job_id, topic, kind, data, subject_kind, subject, stage, person_id)
     SELECT gen_random_uuid(), j.id, 'reading', 'voltage', '{"value": 14.7, "text": ""}', 'place', 'M' || lpad((1 + r % 12)::text, 2, '0'), 'bench', (SELECT id FROM people LIMIT 1)
       FROM jobs j, generate_series(1, ${each}) r WHERE ${job === null ? 'true' : `j.number = ${job}`}`,
  );
}

/** A log of ten hours at one row a second. */
function tenHours(): string {
  const folder = join(import.meta.dirname, '../../demo/packs/marram-3-van.json');
  const pack = normalisePack(JSON.parse(readFileSync(folder, 'utf8')) as PackProfile);
  const random = new Random(5);
  const sim = healthyPack(pack, random, 0.95);
  sim.startSoc = 0.96;
  const legs = [{ durationS: 3600, currentA: 0, sampleS: 1 }, ...driveLegs(random, 9, 80, 1)];
  return writeScanCsv(simulateRecord(sim, legs, random), 3);
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
      'SELECT (SELECT count(*) FROM jobs) AS jobs, (SELECT count(*) FROM observations) AS readings',
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
    "SELECT count(DISTINCT data->>'text') AS n FROM observations WHERE data->>'text' IN (:tags)",
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
  lines.push(...(await voltageAndPage()));
  printTable('Records', lines);
}

/** A voltage typed on a job with a long scan against a note; a job's page with 10,000 observations against 100. */
async function voltageAndPage(): Promise<Line[]> {
  const bench = await startBench();
  const ina = await bench.as('Ina Holm');
  const taken = await ina.post('/api/jobs/147/scans?name=ten-hours.csv&role=before', tenHours());
  if (taken.status !== 201) throw new Error(`the scan answered ${taken.status}`);
  await bench.settled();
  const at = (): string => new Date(Date.now() + 1000).toISOString();
  const post = async (body: object): Promise<void> => {
    const { status } = await ina.post('/api/jobs/147/readings', {
      stage: 'findings',
      observedAt: at(),
      ...body,
    });
    if (status !== 201) throw new Error(`a reading answered ${status}`);
  };
  // In turns, each once nothing is being computed: what is compared is the answer to one entry.
  const times = { note: [] as number[], voltage: [] as number[] };
  for (let i = 0; i < 15; i++)
    for (const what of ['note', 'voltage'] as const) {
      await bench.settled();
      const start = performance.now();
      await post(
        what === 'note'
          ? { kind: 'note', text: `note ${i}`, place: 'M07' }
          : { kind: 'voltage', place: 'ch041', value: 3.6 },
      );
      times[what].push(performance.now() - start);
    }
  const middle = (x: number[]): number => [...x].sort((a, b) => a - b)[Math.floor(x.length / 2)]!;
  const [note, voltage] = [middle(times.note), middle(times.voltage)];
  await bench.settled();
  const page = async (job: number): Promise<number> =>
    medianMs(15, async () => {
      for (const path of ['', '/readings', '/findings', '/safety']) await ina.get(`/api/jobs/${job}${path}`);
    });
  await observe(bench, 100, 138);
  await observe(bench, 10_000, 143);
  await bench.running.store.sequelize.query('ANALYZE');
  const [few, many] = [await page(138), await page(143)];
  await bench.end();
  return [
    {
      what: 'a voltage typed on a job with a 10 h scan',
      ours: ms(voltage),
      against: `${ms(note)} for a note`,
      ratio: `${(voltage / note).toFixed(2)} ×`,
      aim: '≤ 2 ×',
      met: voltage / note <= 2,
    },
    {
      what: 'page of a job with 10,000 observations',
      ours: ms(many),
      against: `${ms(few)} with 100`,
      ratio: `${(many / few).toFixed(2)} ×`,
      aim: '≤ 2 ×',
      met: many / few <= 2,
    },
  ];
}
