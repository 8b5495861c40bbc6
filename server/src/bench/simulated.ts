import { cellsAt, factsOf, normalisePack, type PackProfile } from '@cellmend/core/pack';
import type { BenchTold, ClippedModule } from '@cellmend/devices/benchMain';
import { fork, type ChildProcess } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { InstrumentRow } from '../db/rows';
import type { Store } from '../domain/store';
import { demoId } from '../demo/seed';
import { findJob } from '../jobs/find';

/** The demo's bench: four channels, an hour of theirs in a minute. */
const CHANNELS = 4;
const TIME_SCALE = 60;
export const JOB = 138;
export const FIRST = ['S13', 'S14', 'S15', 'S16'];

let child: ChildProcess | null = null;
export const channelId = (k: number): string => demoId(`bench channel ${k + 1}`);
const folder = (): string =>
  process.env.CELLMEND_LIVE ?? join(tmpdir(), `cellmend-live-${process.getuid?.() ?? 0}`);

/** A share between 0 and 1 that is the same for one name. */
const share = (name: string): number => createHash('sha256').update(name).digest().readUInt32BE(0) / 2 ** 32;

/** A module as long use leaves it: none like the next, every third with a cell that holds less. Invented. */
export function invented(profile: PackProfile, place: string): ClippedModule {
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
  return {
    name: `${profile.name} ${place}`,
    facts: {
      chemistry: profile.chemistry,
      cells: Array.from({ length: count }, (_, c) => {
        const capacityAh = rated * health * (weak && c === 2 ? 0.7 : 1 - 0.03 * share(`${place}.${c}`));
        return {
          capacityAh,
          ah: capacityAh * (0.35 + 0.1 * share(`${c}.${place}`)),
          ohm: nimh ? 0.003 : 0.0015,
        };
      }),
      slowOhm: 0.002,
      slowS: 40,
      ambientC: 21,
      heatJPerK: 160 * count,
      coolsWPerK: 0.08 * count,
      leakA: 0.0005,
      gainPerCycle: factsOf(profile.chemistry).conditioning ? 0.3 : 0,
      ratedAh: rated,
    },
  };
}

const told = <T>(bench: ChildProcess, what: BenchTold, key: 'ports' | 'clipped'): Promise<T> =>
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

/** Starts the demo's chargers as a process of their own, on loopback, and enters them among the workshop's instruments. */
export async function simulateBench(store: Store): Promise<{ stop: () => void }> {
  const { profile } = await findJob(store, JOB);
  const kept = folder();
  mkdirSync(kept, { recursive: true });
  const bench = fork(fileURLToPath(import.meta.resolve('@cellmend/devices/benchMain')), [], {
    execArgv: ['--import', 'tsx'],
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  child = bench;
  const facts = { role: 'charger', mostV: 60, mostA: 20, speed: TIME_SCALE, noiseV: 0.002 } as const;
  const ports = await told<number[]>(
    bench,
    {
      do: 'begin',
      chargers: FIRST.map((place) => ({ facts, clipped: invented(profile, place) })),
      keptIn: join(kept, 'demo-bench.json'),
    },
    'ports',
  );
  for (let k = 0; k < CHANNELS; k++) {
    const known = await store.models.Instrument.findByPk(channelId(k));
    if (known) await known.update({ port: ports[k]! });
    else
      await store.models.Instrument.create({
        id: channelId(k),
        name: `Demo channel ${k + 1}`,
        kind: 'charger',
        driver: 'scpi-charger',
        host: '127.0.0.1',
        port: ports[k]!,
        serial: 'simulated',
        mostV: 60,
        mostA: 20,
        simulated: true,
        timeScale: TIME_SCALE,
      });
  }
  return {
    stop: () => {
      child = null;
      bench.kill();
    },
  };
}

/** Puts a module on the leads of a channel of the demo. */
export async function clipDemoModule(
  instrument: InstrumentRow,
  profile: PackProfile,
  place: string,
): Promise<void> {
  const channel = Array.from({ length: CHANNELS }, (_, k) => channelId(k)).indexOf(instrument.id);
  if (!child || channel < 0) return;
  await told(child, { do: 'clip', channel, clipped: invented(profile, place) }, 'clipped');
}
