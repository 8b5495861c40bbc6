import { InputProblem } from '@cellmend/core/pack';
import type { BenchReading, Setpoint } from '@cellmend/core/bench';
import type { BenchSource } from './charger';
import type { Switched } from './instrument';
import { celsiusOf, figuresOf, ScpiClient } from './scpi';

/** What only reads, for itself or for another instrument. */
export interface Reader extends Switched {
  /** Volts and amperes are null where it shows a temperature only; the temperature where no sensor is there. */
  read(): Promise<{ voltageV: number | null; currentA: number | null; temperatureC: number | null }>;
}
export type ReaderDriver = (host: string, port: number) => Promise<Reader>;

/** What has no output is off by itself. */
abstract class ScpiReader implements Reader {
  constructor(
    protected readonly client: ScpiClient,
    readonly identity: string,
  ) {}
  watchdog = (): Promise<boolean> => Promise.resolve(true);
  outputOff = (): Promise<void> => Promise.resolve();
  close(): void {
    this.client.close();
  }
  abstract read(): ReturnType<Reader['read']>;
}
class ScpiThermometer extends ScpiReader {
  async read(): ReturnType<Reader['read']> {
    const [c] = figuresOf(await this.client.ask('MEAS:TEMP?'), ';');
    return { voltageV: null, currentA: null, temperatureC: celsiusOf(c) };
  }
}
/** The driver of `scpi-thermometer`. */
export const openScpiThermometer: ReaderDriver = async (host, port) => {
  const { client, identity } = await ScpiClient.open(host, port);
  return new ScpiThermometer(client, identity);
};

/** A relay that lays a resistor bank across a module: IEEE 488.2, SCPI-1999 ROUTe subsystem, channel 1. */
export class ScpiRelay implements Switched {
  private closed = false;
  constructor(
    private readonly client: ScpiClient,
    readonly identity: string,
  ) {}
  async watchdog(seconds: number): Promise<boolean> {
    this.client.say(`SYST:COMM:WDOG ${seconds}`);
    return (await this.client.ask('SYST:COMM:WDOG?')) === String(seconds);
  }
  async outputOn(): Promise<void> {
    this.client.say('ROUT:CLOS (@1)');
    if ((await this.client.ask('ROUT:CLOS? (@1)')) !== '1')
      throw new InputProblem('instrument', 'The relay did not close.', '', '');
    this.closed = true;
  }
  async outputOff(): Promise<void> {
    this.closed = false;
    this.client.say('ROUT:OPEN (@1)');
    if ((await this.client.ask('ROUT:CLOS? (@1)')) !== '0')
      throw new InputProblem('instrument', 'The relay says that it is still closed.', '', '');
  }
  /** Told again while it is closed: one that is told nothing opens by itself. */
  async keep(): Promise<void> {
    if (this.closed) await this.outputOn();
  }
  close(): void {
    this.client.close();
  }
}
export const openScpiRelay = async (host: string, port: number): Promise<ScpiRelay> => {
  const { client, identity } = await ScpiClient.open(host, port);
  return new ScpiRelay(client, identity);
};

/** A relay and what reads for it: a discharge that nobody sets, only begins and ends. */
export class ResistorBank implements BenchSource {
  private draws = false;
  readonly identity: string;
  constructor(
    private readonly relay: ScpiRelay,
    private readonly reader: Reader,
  ) {
    this.identity = `${relay.identity}, read by ${reader.identity}`;
  }
  set({ mode }: Setpoint): Promise<void> {
    if (mode === 'charge')
      throw new InputProblem('instrument', 'A resistor bank charges nothing.', 'set point', 'A discharge.');
    this.draws = mode === 'discharge';
    return Promise.resolve();
  }
  watchdog(seconds: number): Promise<boolean> {
    return this.relay.watchdog(seconds);
  }
  outputOn(): Promise<void> {
    return this.draws ? this.relay.outputOn() : Promise.resolve();
  }
  outputOff(): Promise<void> {
    return this.relay.outputOff();
  }
  async flowingA(): Promise<number> {
    return (await this.reader.read()).currentA ?? NaN;
  }
  async read(): Promise<BenchReading> {
    await this.relay.keep();
    const { voltageV, currentA, temperatureC } = await this.reader.read();
    return { voltageV: voltageV ?? NaN, currentA: currentA ?? NaN, temperatureC };
  }
  close(): void {
    this.relay.close();
    this.reader.close();
  }
}

/** A source whose warmth another instrument reads. */
export class WithThermometer implements BenchSource {
  readonly identity: string;
  constructor(
    private readonly source: BenchSource,
    private readonly reader: Reader,
  ) {
    this.identity = `${source.identity}, warmth by ${reader.identity}`;
  }
  set(to: Setpoint): Promise<void> {
    return this.source.set(to);
  }
  watchdog(seconds: number): Promise<boolean> {
    return this.source.watchdog(seconds);
  }
  outputOn(): Promise<void> {
    return this.source.outputOn();
  }
  outputOff(): Promise<void> {
    return this.source.outputOff();
  }
  flowingA(): Promise<number> {
    return this.source.flowingA?.() ?? Promise.resolve(0);
  }
  async read(): Promise<BenchReading> {
    const [own, { temperatureC }] = await Promise.all([this.source.read(), this.reader.read()]);
    // The warmer of two is the one that counts.
    const both = [own.temperatureC, temperatureC].filter((c) => c !== null);
    return { ...own, temperatureC: both.length === 0 ? null : Math.max(...both) };
  }
  close(): void {
    this.source.close();
    this.reader.close();
  }
}
