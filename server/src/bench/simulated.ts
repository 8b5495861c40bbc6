import { cellsAt, factsOf, normalisePack, type PackProfile } from '@cellmend/core/pack';
import type { BenchTold, ClippedModule } from '@cellmend/devices/benchMain';
import { EMPTY_FALLS_V } from '@cellmend/devices/simulatedModule';
import { fork, type ChildProcess } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { InstrumentRow } from '../db/rows';
import type { Store } from '../domain/store';
import { demoId } from '../demo/seed';
import { enterTester, GOOD_OHM, TESTER_SCALE } from '../instruments/demo';
import { findJob } from '../jobs/find';

/** The demo's bench: a rack of four channels, an hour of theirs in a minute. */
const RACK = 4;
const TIME_SCALE = 60;
/** A supply in the yard, away from everything, for what is brought up again: ten hours in a minute. */
const YARD_SCALE = 600;
export const JOB = 138;
export const FIRST = ['S13', 'S14', 'S15', 'S16'];
/** The lorry whose modules stood empty: volts at the terminals of each. What is brought up again loses it, down to about 1.95 V a cell. */
const EMPTIED = {
  job: 145,
  volts: { M05: 0.12, M08: 0.31, M11: 10.2 } as Record<string, number>,
};
const LOST = { leakA: 0.6, leaksAboveV: 1.95 };

let child: ChildProcess | null = null;
interface DemoChannel {
  id: string;
  name: string;
  role: 'charger' | 'supply';
  speed: number;
}
const CHANNELS: DemoChannel[] = [
  ...Array.from({ length: RACK }, (_, k) => ({
    id: demoId(`bench channel ${k + 1}`),
    name: `Demo channel ${k + 1}`,
    role: 'charger' as const,
    speed: TIME_SCALE,
  })),
  { id: demoId('bench yard supply'), name: 'Demo yard supply', role: 'supply', speed: YARD_SCALE },
];
/** Behind them a resistor bank: its relay is the next channel. */
const BANK = {
  id: demoId('bench relay'),
  name: 'Demo resistor bank',
  logger: demoId('bench logger'),
  ohm: 1.5,
};
export const channelId = (k: number): string => CHANNELS[k]!.id;
const folder = (): string =>
  process.env.CELLMEND_LIVE ?? join(tmpdir(), `cellmend-live-${process.getuid?.() ?? 0}`);

/** A share between 0 and 1 that is the same for one name. */
const share = (name: string): number => createHash('sha256').update(name).digest().readUInt32BE(0) / 2 ** 32;

/** A module as long use leaves it: none like the next, every third with a cell that holds less. Invented. */
function invented(job: number, profile: PackProfile, place: string): ClippedModule {
  const pack = normalisePack(profile);
  const index = Math.max(
    0,
    pack.modules.findIndex((m) => m.id === place),
  );
  const count = cellsAt(pack, { kind: 'module', index });
  const nimh = profile.chemistry === 'nimh';
  const rated = profile.ratedCapacityAh;
  const health = nimh ? 0.5 + 0.4 * share(place) : 0.75 + 0.15 * share(place);
  const weak = nimh && share(`${place} weak`) < 0.35;
  const emptied = job === EMPTIED.job ? EMPTIED.volts[place] : undefined;
  const full = (s: number): number =>
    emptied !== undefined
      ? (emptied / count - factsOf(profile.chemistry).ocv.table()[0]![1]) / EMPTY_FALLS_V
      : s;
  return {
    name: `${job} ${place}`,
    facts: {
      chemistry: profile.chemistry,
      cells: Array.from({ length: count }, (_, c) => {
        const capacityAh = rated * health * (weak && c === 2 ? 0.7 : 1 - 0.03 * share(`${place}.${c}`));
        return {
          capacityAh,
          ah: capacityAh * full(0.35 + 0.1 * share(`${c}.${place}`)),
          ohm: nimh ? 0.003 : 0.0015,
        };
      }),
      slowOhm: 0.002,
      slowS: 40,
      ambientC: 21,
      heatJPerK: 160 * count,
      coolsWPerK: 0.08 * count,
      ...(emptied === undefined ? { leakA: 0.0005 } : LOST),
      gainPerCycle: factsOf(profile.chemistry).conditioning ? 0.3 : 0,
      ratedAh: rated,
    },
  };
}

const told = <T>(bench: ChildProcess, what: BenchTold, key: 'ports' | 'clipped' | 'tester'): Promise<T> =>
  new Promise((resolve) => {
    const listen = (m: unknown): void => {
      const value = (m as Record<string, T | undefined>)[key];
      if (value === undefined) return;
      bench.off('message', listen);
      resolve(value);
    };
    bench.on('message', listen);
    bench.send(what);
  });

/** A bench that ended by itself is begun again after so long, ms. */
const AGAIN_MS = 1000;

/**
 * Starts the demo's chargers as a process of their own, on loopback, and enters them among the workshop's instruments. One that ends
 * by itself is begun again.
 */
export async function simulateBench(store: Store): Promise<{ stop: () => void }> {
  let stopped = false;
  let bench: ChildProcess;
  const begin = async (): Promise<void> => {
    bench = await beginBench(store);
    bench.once('exit', () => {
      child = null;
      if (!stopped) setTimeout(() => void begin().catch(() => undefined), AGAIN_MS).unref();
    });
  };
  await begin();
  return {
    stop: () => {
      stopped = true;
      child = null;
      bench.kill();
    },
  };
}

async function beginBench(store: Store): Promise<ChildProcess> {
  const { profile } = await findJob(store, JOB);
  const { profile: lorry } = await findJob(store, EMPTIED.job);
  const kept = folder();
  mkdirSync(kept, { recursive: true });
  const bench = fork(fileURLToPath(import.meta.resolve('@cellmend/devices/benchMain')), [], {
    execArgv: ['--import', 'tsx'],
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  child = bench;
  const ports = await told<number[]>(
    bench,
    {
      do: 'begin',
      chargers: CHANNELS.map(({ role, speed }, k) => ({
        facts: { role, mostV: 60, mostA: 20, speed, noiseV: 0.002 },
        clipped: k < RACK ? invented(JOB, profile, FIRST[k]!) : invented(EMPTIED.job, lorry, 'M11'),
      })),
      bank: { clipped: invented(JOB, profile, 'S17'), ohm: BANK.ohm, speed: TIME_SCALE },
      tester: { leakOhm: null, goodOhm: GOOD_OHM, speed: TESTER_SCALE },
      keptIn: join(kept, 'demo-bench.json'),
    },
    'ports',
  );
  await enterTester(store, ports.at(-1)!, (on) => void told(bench, { do: 'clip-tester', on }, 'tester'));
  for (const [k, { id, name, role, speed }] of CHANNELS.entries()) {
    await enterInstrument(store, { id, name, kind: role, port: ports[k]!, timeScale: speed });
  }
  const [relay, logger] = ports.slice(CHANNELS.length);
  await enterInstrument(store, {
    id: BANK.logger,
    name: 'Demo logger',
    kind: 'logger',
    port: logger!,
    timeScale: TIME_SCALE,
  });
  await enterInstrument(store, {
    id: BANK.id,
    name: BANK.name,
    kind: 'relay',
    port: relay!,
    timeScale: TIME_SCALE,
    ohm: BANK.ohm,
    readsWith: BANK.logger,
  });
  return bench;
}

interface DemoInstrument {
  id: string;
  name: string;
  kind: 'charger' | 'supply' | 'logger' | 'relay';
  port: number;
  timeScale: number;
  ohm?: number;
  readsWith?: string;
}
async function enterInstrument(store: Store, { id, port, kind, ...facts }: DemoInstrument): Promise<void> {
  const known = await store.models.Instrument.findByPk(id);
  if (known) await known.update({ port });
  else
    await store.models.Instrument.create({
      id,
      kind,
      driver: `scpi-${kind}`,
      host: '127.0.0.1',
      port,
      serial: 'simulated',
      mostV: 60,
      mostA: 20,
      simulated: true,
      ...facts,
    });
}

/** Puts a module on the leads of a channel of the demo. */
export async function clipDemoModule(
  instrument: InstrumentRow,
  job: number,
  profile: PackProfile,
  place: string,
): Promise<void> {
  const channel = [...CHANNELS, BANK].findIndex((c) => c.id === instrument.id);
  if (!child || channel < 0) return;
  await told(child, { do: 'clip', channel, clipped: invented(job, profile, place) }, 'clipped');
}
