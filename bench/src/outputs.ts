import type { Instrument } from '@cellmend/contract/instruments';
import type { SafetyView } from '@cellmend/contract/safety';
import { ScpiClient } from '@cellmend/devices/scpi';
import { Random } from '@cellmend/core/simpack';
import { fork, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import { Workshop } from '../../e2e/src/processes';
import { Client } from '../../server/test/harness';
import { printTable } from './table';

const root = join(import.meta.dirname, '../..');
const sleep = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

/** A simulated tester as a process of its own, with the output watchdog that it is asked to set. */
async function startTester(port = 0): Promise<{ child: ChildProcess; port: number }> {
  const child = fork(join(root, 'devices/src/testerMain.ts'), [String(port)], {
    execArgv: ['--import', 'tsx'],
    cwd: root,
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  const taken = await new Promise<number>((resolve) =>
    child.once('message', (m) => resolve((m as { port: number }).port)),
  );
  return { child, port: taken };
}
/** Whether an instrument's output is on, asked from outside the app; null where it does not answer. */
export async function isOn(port: number): Promise<boolean | null> {
  try {
    const { client } = await ScpiClient.open('127.0.0.1', port);
    const answer = await client.ask('OUTP?');
    client.close();
    return answer === '1';
  } catch {
    return null;
  }
}

type Blow = 'page closed' | 'server stopped' | 'server killed' | 'instrument killed' | 'database killed';
const BLOWS: Blow[] = [
  'page closed',
  'page closed',
  'server stopped',
  'server killed',
  'server killed',
  'instrument killed',
  'database killed',
];
/** How long after a blow an output may at most stay on: the instrument's own watchdog takes two seconds. */
const OFF_WITHIN_S = 4;

/** Kills page, server, instrument or database at random moments of a running test, and looks whether its output stays on. */
export async function benchOutputs(): Promise<void> {
  const kills = Number(process.env.BENCH_KILLS ?? 200);
  const random = new Random(Number(process.env.BENCH_SEED ?? 7));
  const workshop = await Workshop.open();
  const port = await workshop.serve();
  const address = `http://127.0.0.1:${port}`;
  let tester = await startTester();
  const testerPort = tester.port;
  const ina = new Client(address);
  const people = await ina.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
  await ina.post('/api/session/demo', {
    personId: people.body.demoPeople.find((p) => p.name === 'Ina Holm')!.id,
  });
  const { body: rules } = await ina.get<object>('/api/workshop');
  await ina.call('PUT', '/api/workshop', { ...rules, leastWaitMin: 1, gateHours: 24 });
  const job = 146;
  const { id } = (
    await ina.post<{ id: string }>('/api/instruments', {
      name: 'bench tester',
      kind: 'insulation-tester',
      driver: 'scpi-insulation-tester',
      host: '127.0.0.1',
      port: testerPort,
      mostV: 1000,
    })
  ).body;
  const step = async (data: object): Promise<void> => {
    const { lockoutId } = (await ina.get<SafetyView>(`/api/jobs/${job}/safety`)).body;
    const answer = await ina.post<{ detail?: string }>(`/api/jobs/${job}/safety/steps`, {
      lockoutId,
      data,
      observedAt: new Date().toISOString(),
    });
    if (answer.status !== 201) throw new Error(answer.body.detail);
  };
  await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
  const testedOn = new Date(Date.now() - 30 * 86_400_000).toISOString().slice(0, 10);
  await step({ step: 'hazards' });
  await step({ step: 'gloves', gloveClass: '0', testedOn, airTest: true });
  await step({ step: 'barrier', secondPerson: 'Tomas' });
  await step({ step: 'low-voltage' });
  await step({ step: 'disconnect', keptBy: 'Ina' });
  // The wait of the gate cannot be shortened.
  await sleep(61_000);
  const points = { plusMinusV: 1, plusChassisV: 0.2, minusChassisV: 0.1 };
  await step({ step: 'live-dead-live', meterBeforeV: 12.6, ...points, meterAfterV: 12.5 });

  const tally = new Map<
    Blow,
    { blows: number; wasOn: number; leftOn: number; slowestS: number; told: number }
  >();
  for (let k = 0; k < kills; k++) {
    const blow = random.pick(BLOWS);
    const own = tally.get(blow) ?? { blows: 0, wasOn: 0, leftOn: 0, slowestS: 0, told: 0 };
    tally.set(blow, own);
    const page = new AbortController();
    const request = fetch(`${address}/api/jobs/${job}/insulation/stream`, {
      method: 'POST',
      headers: {
        'x-cellmend': '1',
        'content-type': 'application/json',
        cookie: ina.cookie,
        'idempotency-key': randomUUID(),
      },
      body: JSON.stringify({
        tested: { part: 'pack' },
        setV: 250,
        seconds: 60,
        temperatureC: 21,
        mounted: true,
        managementDisconnected: true,
        instrumentId: id,
      }),
      signal: page.signal,
    }).catch(() => null);
    await sleep(random.uniform(50, 1500));
    own.blows++;
    if (await isOn(testerPort)) own.wasOn++;
    const struck = performance.now();
    if (blow === 'page closed') page.abort();
    if (blow === 'server killed') await workshop.kill(port);
    if (blow === 'server stopped') await workshop.stopServer(port);
    if (blow === 'instrument killed') tester.child.kill('SIGKILL');
    if (blow === 'database killed') workshop.cluster.crash();
    // A killed instrument gives nothing; a new one in its place is off until it is told otherwise.
    if (blow === 'instrument killed') {
      await sleep(100);
      tester = await startTester(testerPort);
    }
    let off = false;
    while (!off && performance.now() - struck < OFF_WITHIN_S * 1000) {
      off = (await isOn(testerPort)) === false;
      if (!off) await sleep(60);
    }
    if (!off) own.leftOn++;
    own.slowestS = Math.max(own.slowestS, (performance.now() - struck) / 1000);
    if (blow === 'database killed') workshop.cluster.revive();
    if (blow === 'server killed' || blow === 'server stopped') await workshop.serve(port);
    page.abort();
    await request;
    // Everything is up again, and says what became of the output.
    for (let tries = 0; tries < 60; tries++) {
      const listed = await ina.get<Instrument[]>('/api/instruments').catch(() => null);
      const found = listed?.status === 200 ? listed.body.find((i) => i.id === id) : undefined;
      if (found && found.busyWith?.output === 'unknown') {
        own.told++;
        await ina.post(`/api/instruments/${id}/off`, { note: 'seen off by the benchmark' });
      } else if (found && found.busyWith === null) break;
      await sleep(100);
    }
  }
  const all = [...tally.values()];
  const sum = (f: (t: (typeof all)[number]) => number): number => all.reduce((s, t) => s + f(t), 0);
  printTable('Outputs', [
    {
      what: `${kills} random blows in the middle of a test: outputs left on after ${OFF_WITHIN_S} s`,
      ours: `${sum((t) => t.leftOn)}`,
      against: `${sum((t) => t.wasOn)} were on`,
      ratio: `${Math.max(...all.map((t) => t.slowestS)).toFixed(1)} s at most`,
      aim: '0',
      met: sum((t) => t.leftOn) === 0,
    },
  ]);
  for (const [blow, t] of tally)
    console.log(
      `  ${blow.padEnd(18)} ${t.blows} blows, output on at ${t.wasOn}, left on ${t.leftOn}, off after at most ${t.slowestS.toFixed(1)} s, told as unknown ${t.told}`,
    );
  const doubled = workshop.count("instrument_runs WHERE state = 'running'");
  console.log(
    `  runs still called running: ${doubled}; observations stored of interrupted runs: ${workshop.count("observations WHERE kind = 'tester'")}`,
  );
  tester.child.kill();
  await workshop.end();
}
