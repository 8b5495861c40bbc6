import type { BenchView, Run, RunPart } from '@cellmend/contract/bench';
import { randomUUID } from 'node:crypto';
import { newJob } from '../../server/test/depot';
import { startBench, type Client } from '../../server/test/harness';
import { medianMs, ms, printTable } from './table';

const CHANNELS = 8;
const HOUR_S = 3600;
const WEEKS_S = 14 * 86_400;
const ROUNDS = 25;
const at = (): string => new Date().toISOString();

/** A hold of so many seconds at a reading a second, with one reading that stands out, as a logger writes it. */
const logged = (seconds: number, spike: number): string => {
  const rows = ['time_s,voltage_V,current_A,temp_C'];
  for (let t = 0; t < seconds; t++)
    rows.push(
      `${t},${(t === spike ? 7.1 : 8.2 - t * 1e-7).toFixed(4)},0.01,${(22 + (t % 600) / 600).toFixed(1)}`,
    );
  return rows.join('\n');
};

async function filled(ina: Client, seconds: number, spike: number): Promise<{ job: number; runs: Run[] }> {
  const job = await newJob(ina, 'Ferry', `long ${seconds}`);
  const text = logged(seconds, spike);
  for (let k = 0; k < CHANNELS; k++) {
    const query = new URLSearchParams({
      place: `S0${k + 1}`,
      recipe: 'hold',
      cutoffV: '6',
      observedAt: at(),
      name: 'logger.csv',
    });
    // The same file twice would be the same readings: one row more tells them apart.
    const answer = await ina.post<Run>(
      `/api/jobs/${job}/bench/files?${query}`,
      `${text}\n${seconds + k},8.1,0.01,22`,
      {
        'content-type': 'text/csv',
        'idempotency-key': randomUUID(),
      },
    );
    if (answer.status !== 201) throw new Error(`a run was answered ${answer.status}`);
  }
  return { job, runs: (await ina.get<BenchView>(`/api/jobs/${job}/bench`)).body.runs };
}

/** Two weeks of eight channels at a reading a second, opened and looked into, against an hour of them. */
export async function benchLong(): Promise<void> {
  const bench = await startBench();
  try {
    const ina = await bench.as('Ina Holm');
    const hour = await filled(ina, HOUR_S, 2000);
    const weeks = await filled(ina, WEEKS_S, 777_777);
    const open = ({ job, runs }: typeof hour): Promise<number> =>
      medianMs(ROUNDS, async () => {
        const [, ...parts] = await Promise.all([
          ina.get(`/api/jobs/${job}/bench`),
          ...runs.map((r) => ina.get<RunPart>(`/api/jobs/${job}/bench/runs/${r.id}/course`)),
        ]);
        if (parts.some((p) => p.status !== 200)) throw new Error('a course was refused');
      });
    let [lost, asked] = [0, 0];
    const closer = ({ job, runs }: typeof hour, seconds: number, spike: number): Promise<number> =>
      medianMs(ROUNDS, async () => {
        // From all of it down to its readings, round the one that stands out.
        for (let width = seconds; width > 600; width /= 8) {
          const span = `?fromS=${spike - width / 3}&toS=${spike + width / 2}`;
          const { body } = await ina.get<RunPart>(`/api/jobs/${job}/bench/runs/${runs[0]!.id}/course${span}`);
          asked++;
          if (Math.min(...body.voltageV) !== 7.1) lost++;
        }
      });
    const [hourMs, weeksMs] = [await open(hour), await open(weeks)];
    const weeksStep =
      (await closer(weeks, WEEKS_S, 777_777)) / Math.ceil(Math.log(WEEKS_S / 600) / Math.log(8));
    const hourStep = (await closer(hour, HOUR_S, 2000)) / Math.ceil(Math.log(HOUR_S / 600) / Math.log(8));
    printTable('Long recordings', [
      {
        what: 'Two weeks, 8 channels, 1 Hz: opened',
        ours: ms(weeksMs),
        against: `an hour of them, ${ms(hourMs)}`,
        ratio: `${(weeksMs / hourMs).toFixed(2)} × its time`,
        aim: '≤ 2 ×',
        met: weeksMs <= 2 * hourMs,
      },
      {
        what: 'Looking closer, one step',
        ours: ms(weeksStep),
        against: `within an hour, ${ms(hourStep)}`,
        ratio: `${(weeksStep / hourStep).toFixed(2)} ×`,
        aim: '≤ 2 ×',
        met: weeksStep <= 2 * hourStep,
      },
      {
        what: 'The one reading that stands out, at every width',
        ours: `${lost} of ${asked} lost it`,
        against: '',
        ratio: String(lost),
        aim: '0',
        met: lost === 0,
      },
    ]);
  } finally {
    await bench.end();
  }
}
