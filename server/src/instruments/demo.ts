import { SimulatedTester, type ClippedTo } from '@cellmend/devices/scpi';
import type { Store } from '../domain/store';
import { demoId } from '../demo/seed';

/** Where the demo tester finds the leak of the pilot car: in the middle of the string. */
export const DEMO_LEAK = { position: 5, ohm: 6200 };
const NAME = 'Demo insulation tester';
/** A minute of its time takes five seconds. */
export const TESTER_SCALE = 12;
/** Clipped to nothing in particular, Ω. */
export const GOOD_OHM = 1.2e9;

/** What each module of a demo string has, Ω. */
const MODULE_OHM = 12.6e9;

let clip: (on: ClippedTo) => void = () => undefined;

/** The demo's tester is one entry among the workshop's instruments, wherever it runs. */
export async function enterTester(store: Store, port: number, clipped: typeof clip): Promise<void> {
  clip = clipped;
  const facts = {
    name: NAME,
    kind: 'insulation-tester',
    driver: 'scpi-insulation-tester',
    host: '127.0.0.1',
    port,
    serial: 'simulated',
    mostV: 1000,
    simulated: true,
    timeScale: TESTER_SCALE,
  } as const;
  const id = demoId('instrument tester');
  const known = await store.models.Instrument.findByPk(id);
  if (known) await known.update({ port });
  else await store.models.Instrument.create({ id, ...facts });
}

/** The demo's tester without a bench beside it: this process keeps it on loopback. */
export async function simulateTester(store: Store): Promise<SimulatedTester> {
  const { tester, port } = await SimulatedTester.start({ leakOhm: null, goodOhm: GOOD_OHM }, TESTER_SCALE);
  await enterTester(store, port, (on) => tester.clip(on));
  return tester;
}

/**
 * Clips the demo's tester to what its lead reaches of a string, by position; nothing of it is the vehicle side. Its leak shows where it is
 * reached, whatever was said of the part.
 */
export function clipDemo(modules: number, reached: readonly number[]): void {
  if (reached.length === 0) return clip({ leakOhm: null, goodOhm: MODULE_OHM });
  const ends = reached.flatMap((i) => [i - 1, i]);
  clip({
    modules,
    goodOhm: MODULE_OHM,
    clip: reached,
    open: ends.filter((l) => !(reached.includes(l) && reached.includes(l + 1))),
    leaks: [{ at: DEMO_LEAK.position, ohm: DEMO_LEAK.ohm }],
  });
}
