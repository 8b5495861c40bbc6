import {
  isBenchDriver,
  type BenchDriverId,
  type DriverId,
  type ReaderDriverId,
  type TesterDriverId,
} from '@cellmend/contract/instruments';
import { InputProblem } from '@cellmend/core/pack';
import { openScpiRelay, openScpiThermometer, ResistorBank, WithThermometer, type ReaderDriver } from './bank';
import { openScpiMeter, openScpiSource, type BenchDriver, type BenchSource } from './charger';
import type { Driver, Switched } from './instrument';
import { openScpiTester } from './scpi';

/** Every driver the app has. A new one is a file and a line here, and its id in the contract. */
export const TESTERS: Record<TesterDriverId, Driver> = {
  'scpi-insulation-tester': openScpiTester,
};
const SOURCES: Record<Exclude<BenchDriverId, 'scpi-relay'>, BenchDriver> = {
  'scpi-charger': openScpiSource,
  'scpi-supply': openScpiSource,
  'scpi-load': openScpiSource,
  'scpi-meter': openScpiMeter,
  'scpi-logger': openScpiMeter,
};
const READERS: Record<ReaderDriverId | 'scpi-meter' | 'scpi-logger', ReaderDriver> = {
  'scpi-thermometer': openScpiThermometer,
  'scpi-meter': openScpiMeter,
  'scpi-logger': openScpiMeter,
};
const ANY: Record<DriverId, (host: string, port: number) => Promise<Switched>> = {
  ...TESTERS,
  ...SOURCES,
  'scpi-relay': openScpiRelay,
  'scpi-thermometer': openScpiThermometer,
};
/** Opens whatever it is, to ask who it is or to switch it off. */
export const openAny = (driver: DriverId, host: string, port: number): Promise<Switched> =>
  ANY[driver](host, port);

export interface Address {
  driver: DriverId;
  host: string;
  port: number;
}
const readerOf = ({ driver, host, port }: Address) => {
  if (!(driver in READERS))
    throw new InputProblem(
      'instrument',
      'That instrument reads for no other.',
      driver,
      'A thermometer or a logger.',
    );
  return READERS[driver as keyof typeof READERS](host, port);
};

/** Opens what runs a module, with the instrument that reads for it. @throws InputProblem where either does not answer */
export async function openSource(
  { driver, host, port }: Address,
  readsWith: Address | null,
): Promise<BenchSource> {
  if (!isBenchDriver(driver))
    throw new InputProblem(
      'instrument',
      'That instrument runs no modules.',
      driver,
      'A charger, supply, load or bank.',
    );
  if (driver === 'scpi-relay') {
    if (!readsWith)
      throw new InputProblem(
        'instrument',
        'Nothing reads what flows through the bank.',
        driver,
        'A logger beside it.',
      );
    const relay = await openScpiRelay(host, port);
    return beside(relay, async () => new ResistorBank(relay, await readerOf(readsWith)));
  }
  const source = await SOURCES[driver](host, port);
  return readsWith
    ? beside(source, async () => new WithThermometer(source, await readerOf(readsWith)))
    : source;
}
async function beside<T>(first: { close: () => void }, both: () => Promise<T>): Promise<T> {
  try {
    return await both();
  } catch (e) {
    first.close();
    throw e;
  }
}
