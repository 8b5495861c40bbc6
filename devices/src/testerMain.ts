// A simulated insulation tester as a process of its own: `node --import tsx devices/src/testerMain.ts [port]`.
import { SimulatedTester } from './scpi';

const { port } = await SimulatedTester.start(
  { leakOhm: null, goodOhm: 1.2e9 },
  1,
  { ...(process.env.TESTER_NO_WATCHDOG ? { noWatchdog: true } : {}) },
  Number(process.argv[2] ?? 0),
);
console.log(`LISTENING ${port}`);
process.send?.({ port });
process.on('disconnect', () => process.exit(0));
