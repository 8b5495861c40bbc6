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

/** Clips the demo's tester to a part of a string of so many modules; `from` is −1 for the vehicle side. */
export function clipDemo(from: number, to: number): void {
  const inside = DEMO_LEAK.position >= from && DEMO_LEAK.position <= to;
  clip({ leakOhm: inside ? DEMO_LEAK.ohm : null, goodOhm: 12.6e9 / Math.max(1, to - from + 1) });
}
