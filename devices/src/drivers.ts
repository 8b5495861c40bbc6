import type { BenchDriverId, DriverId, TesterDriverId } from '@cellmend/contract/instruments';
import { openScpiMeter, openScpiSource, type BenchDriver } from './charger';
import type { Driver, Switched } from './instrument';
import { openScpiTester } from './scpi';

/** Every driver the app has. A new one is a file and a line here, and its id in the contract. */
export const TESTERS: Record<TesterDriverId, Driver> = {
  'scpi-insulation-tester': openScpiTester,
};
export const BENCH_SOURCES: Record<BenchDriverId, BenchDriver> = {
  'scpi-charger': openScpiSource,
  'scpi-supply': openScpiSource,
  'scpi-load': openScpiSource,
  'scpi-meter': openScpiMeter,
};
/** Opens whatever it is, to ask who it is or to switch it off. */
export const openAny = (driver: DriverId, host: string, port: number): Promise<Switched> =>
  ({ ...TESTERS, ...BENCH_SOURCES })[driver](host, port);
