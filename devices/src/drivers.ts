import type { DriverId } from '@cellmend/contract/instruments';
import type { Driver } from './instrument';
import { openScpiTester } from './scpi';

/** Every driver the app has. A new one is a file and a line here, and its id in the contract. */
export const DRIVERS: Record<DriverId, Driver> = {
  'scpi-insulation-tester': openScpiTester,
};
