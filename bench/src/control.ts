import type { Instrument } from '@cellmend/contract/instruments';
import type { SupervisedRun } from '@cellmend/contract/supervised';
import type { BenchTold } from '@cellmend/devices/benchMain';
import { levelStick } from '@cellmend/devices/simulatedModule';
import { isOn } from './outputs';
import { Random } from '@cellmend/core/simpack';
import { fork, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Workshop } from '../../e2e/src/processes';
import { Client } from '../../server/test/harness';
import { printTable } from './table';

const root = join(import.meta.dirname, '../..');
const sleep = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));
const JOB = 138;

type Blow = 'server killed' | 'server stopped' | 'database killed' | 'instrument killed' | 'network cut';
const BLOWS: Blow[] = [
  'server killed',
  'server killed',
  'server stopped',
  'database killed',
  'instrument killed',
  'network cut',
];
/** The instrument's own watchdog takes two seconds. */
const OFF_WITHIN_S = 4;

/** The cable between server and instrument: it counts the readings that went through, and can be cut. */
class Cable {
  /** Answers of three figures that reached the server. */
  readings = 0;
  private down = false;
  private readonly sockets = new Set<Socket>();
  private constructor(private readonly server: Server) {}
  static async to(instrumentPort: number): Promise<{ cable: Cable; port: number }> {
    const server = createServer();
    const cable = new Cable(server);
    server.on('connection', (near) => {
      if (cable.down) return void near.destroy();
      const far = connect(instrumentPort, '127.0.0.1');
      for (const [a, b] of [
        [near, far],
        [far, near],
      ] as const) {
        cable.sockets.add(a);
        a.on('data', (piece) => {
          b.write(piece);
          if (a === far)
            cable.readings += (String(piece).match(/^[-\d.]+;[-\d.]+;[-\d.eE+]+$/gm) ?? []).length;
        });
        a.on('close', () => (cable.sockets.delete(a), b.destroy()));
        a.on('error', () => b.destroy());
      }
    });
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    return { cable, port: (server.address() as { port: number }).port };
  }
  cut(): void {
    this.down = true;
    for (const s of this.sockets) s.destroy();
  }
  mend(): void {
    this.down = false;
  }
  end(): void {
    this.cut();
    this.server.close();
  }
}

/** A simulated charger with a large module on its leads, in a process of its own. */
async function startCharger(keptIn: string, port = 0): Promise<{ child: ChildProcess; port: number }> {
  const child = fork(join(root, 'devices/src/benchMain.ts'), [], {
    execArgv: ['--import', 'tsx'],
    cwd: root,
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  const begin: BenchTold = {
    do: 'begin',
    keptIn,
    chargers: [
      {
        port,
        facts: { role: 'charger', mostV: 60, mostA: 20, speed: 1 },
        clipped: {
          name: 'stick',
          // So large that no kill of the whole series sees it full.
          facts: levelStick(60, 20, { ratedAh: 60 }),
        },
      },
    ],
  };
  child.send(begin);
  const ports = await new Promise<number[]>((resolve) =>
    child.on(
      'message',
      (m) => (m as { ports?: number[] }).ports && resolve((m as { ports: number[] }).ports),
    ),
  );
  return { child, port: ports[0]! };
}

interface Tally {
  blows: number;
  wasOn: number;
  leftOn: number;
  slowestS: number;
  lostReadings: number;
  doubled: number;
  notWaiting: number;
}

/** Strikes a running recipe at random: outputs left on, readings lost, anything doubled, runs that cannot go on. */
export async function benchControl(): Promise<void> {
  const kills = Number(process.env.BENCH_KILLS ?? 100);
  const random = new Random(Number(process.env.BENCH_SEED ?? 11));
  const workshop = await Workshop.open();
  const kept = mkdtempSync(join(tmpdir(), 'cellmend-control-'));
  let charger = await startCharger(join(kept, 'bench.json'));
  const { cable, port: cablePort } = await Cable.to(charger.port);
  const port = await workshop.serve();
  const address = `http://127.0.0.1:${port}`;
  const ina = new Client(address);
  const signIn = async (): Promise<void> => {
    const people = await ina.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
    await ina.post('/api/session/demo', {
      personId: people.body.demoPeople.find((p) => p.name === 'Ina Holm')!.id,
    });
  };
  await signIn();
  const { id: instrumentId } = (
    await ina.post<{ id: string }>('/api/instruments', {
      name: 'channel 1',
      kind: 'charger',
      driver: 'scpi-charger',
      host: '127.0.0.1',
      port: cablePort,
      mostV: 60,
      mostA: 20,
    })
  ).body;
  const runs = async (): Promise<SupervisedRun[]> => {
    const answer = await ina.get<SupervisedRun[]>(`/api/jobs/${JOB}/bench/supervised`).catch(() => null);
    return answer?.status === 200 ? answer.body : [];
  };
  const until = async <T>(what: () => Promise<T | null | false | undefined>, tries = 150): Promise<T> => {
    for (let i = 0; i < tries; i++) {
      const got = await what().catch(() => null);
      if (got) return got;
      await sleep(100);
    }
    throw new Error('the workshop did not come back');
  };
  const tally = new Map<Blow, Tally>();
  let chain: string | null = null;
  let resumed = 0;
  for (let k = 0; k < kills; k++) {
    const blow = random.pick(BLOWS);
    const own = tally.get(blow) ?? {
      blows: 0,
      wasOn: 0,
      leftOn: 0,
      slowestS: 0,
      lostReadings: 0,
      doubled: 0,
      notWaiting: 0,
    };
    tally.set(blow, own);
    cable.readings = 0;
    const run: SupervisedRun = await until(async () => {
      const answer = chain
        ? await ina.post<SupervisedRun>(
            `/api/jobs/${JOB}/bench/supervised/${chain}/resume`,
            { instrumentId, looked: true },
            { 'idempotency-key': randomUUID() },
          )
        : await ina.post<SupervisedRun>(
            `/api/jobs/${JOB}/bench/supervised`,
            { place: 'S20', recipe: 'nimh-rated', instrumentId, looked: true },
            { 'idempotency-key': randomUUID() },
          );
      if (answer.status !== 201) return null;
      if (chain) resumed++;
      return answer.body;
    });
    await sleep(random.uniform(400, 3500));
    own.blows++;
    if (await isOn(charger.port)) own.wasOn++;
    const struck = performance.now();
    if (blow === 'server killed') await workshop.kill(port);
    if (blow === 'server stopped') await workshop.stopServer(port);
    if (blow === 'database killed') workshop.cluster.crash();
    if (blow === 'network cut') cable.cut();
    if (blow === 'instrument killed') {
      charger.child.kill('SIGKILL');
      await sleep(100);
      charger = await startCharger(join(kept, 'bench.json'), charger.port);
    }
    let off = false;
    while (!off && performance.now() - struck < OFF_WITHIN_S * 1000) {
      off = (await isOn(charger.port)) === false;
      if (!off) await sleep(60);
    }
    if (!off) own.leftOn++;
    own.slowestS = Math.max(own.slowestS, (performance.now() - struck) / 1000);
    if (blow === 'database killed') workshop.cluster.revive();
    if (blow === 'network cut') cable.mend();
    if (blow === 'server killed' || blow === 'server stopped') await workshop.serve(port);
    // Everything is up again: an output that could not be reached is told as unknown, and somebody has looked.
    await until(async () => {
      const listed = await ina.get<Instrument[]>('/api/instruments');
      const found = listed.status === 200 ? listed.body.find((i) => i.id === instrumentId) : undefined;
      if (found?.busyWith?.output === 'unknown')
        await ina.post(`/api/instruments/${instrumentId}/off`, { note: 'seen off by the benchmark' });
      return found?.busyWith === null;
    });
    const row = (await runs()).find((r) => r.id === run.id);
    if (row?.state !== 'interrupted') own.notWaiting++;
    chain = run.id;
    // Of the readings that reached the server, the first looked at the module at rest, and the last may have been in the air.
    const rows = workshop.count(`run_log WHERE run_id = '${run.id}'`);
    own.lostReadings += Math.max(0, cable.readings - 2 - rows);
    own.doubled += workshop.count(
      `(SELECT time_s, lag(time_s) OVER (ORDER BY seq) AS before FROM run_log WHERE run_id = '${run.id}') x WHERE time_s <= before`,
    );
  }
  const all = [...tally.values()];
  const sum = (f: (t: Tally) => number): number => all.reduce((s, t) => s + f(t), 0);
  const logged = workshop.count('run_log');
  printTable('Bench control', [
    {
      what: `${kills} random blows on a running recipe: outputs left on after ${OFF_WITHIN_S} s`,
      ours: `${sum((t) => t.leftOn)}`,
      against: `${sum((t) => t.wasOn)} were on`,
      ratio: `${Math.max(...all.map((t) => t.slowestS)).toFixed(1)} s at most`,
      aim: '0',
      met: sum((t) => t.leftOn) === 0,
    },
    {
      what: 'Readings lost beyond the last one, readings twice or out of order',
      ours: `${sum((t) => t.lostReadings)} and ${sum((t) => t.doubled)}`,
      against: `${logged} kept`,
      ratio: '–',
      aim: '0 and 0',
      met: sum((t) => t.lostReadings) === 0 && sum((t) => t.doubled) === 0,
    },
    {
      what: 'Runs that do not wait to go on',
      ours: `${sum((t) => t.notWaiting)}`,
      against: `${resumed} went on`,
      ratio: '–',
      aim: '0',
      met: sum((t) => t.notWaiting) === 0,
    },
  ]);
  for (const [blow, t] of tally)
    console.log(
      `  ${blow.padEnd(18)} ${t.blows} blows, output on at ${t.wasOn}, left on ${t.leftOn}, off after at most ${t.slowestS.toFixed(1)} s, lost ${t.lostReadings}, twice ${t.doubled}, not waiting ${t.notWaiting}`,
    );
  charger.child.kill();
  cable.end();
  await workshop.end();
  rmSync(kept, { recursive: true, force: true });
}
