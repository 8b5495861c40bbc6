import { InputProblem } from '@cellmend/core/pack';
import type { BenchReading, Setpoint } from '@cellmend/core/bench';
import type { Switched } from './instrument';
import { celsiusOf, figuresOf, ScpiClient, ScpiOutput } from './scpi';

/** What puts current through a module, takes it out, or only watches it. */
export interface BenchSource extends Switched {
  /** What it is to do from now on; no current flows before its output is on. */
  set(to: Setpoint): Promise<void>;
  outputOn(): Promise<void>;
  read(): Promise<BenchReading>;
}
export type BenchDriver = (host: string, port: number) => Promise<BenchSource>;

/** A load ends by itself a little below the cut-off that the app watches: should the app be away, V as a share. */
const OWN_CUTOFF = 0.97;

/** A power supply, an electronic load, or both in one, that speaks SCPI over TCP. Its current counts positive into the module. */
class ScpiSource extends ScpiOutput implements BenchSource {
  async set({ mode, currentA, limitV }: Setpoint): Promise<void> {
    const amperes = mode === 'rest' ? 0 : mode === 'charge' ? currentA : -currentA;
    const volts = mode === 'discharge' ? OWN_CUTOFF * limitV : limitV;
    this.client.say(`SOUR:VOLT ${volts.toFixed(4)};CURR ${amperes.toFixed(4)}`);
    const error = await this.client.ask('SYST:ERR?');
    if (!error.startsWith('0'))
      throw new InputProblem(
        'instrument',
        `The instrument refuses ${amperes.toFixed(1)} A at ${volts.toFixed(1)} V: ${error}.`,
        'set point',
        'A current and a voltage within its range.',
      );
  }
  outputOn(): Promise<void> {
    return this.switchOn();
  }
  async flowingA(): Promise<number> {
    return figuresOf(await this.client.ask('MEAS:CURR?'), ';')[0] ?? NaN;
  }
  async read(): Promise<BenchReading> {
    const [v, i, c] = figuresOf(await this.client.ask('MEAS:VOLT?;CURR?;TEMP?'), ';');
    return {
      voltageV: v ?? NaN,
      currentA: i === undefined ? NaN : i === 0 ? 0 : -i,
      temperatureC: celsiusOf(c),
    };
  }
}

/** The driver of `scpi-charger`, `scpi-supply` and `scpi-load`. */
export const openScpiSource: BenchDriver = async (host, port) => {
  const { client, identity } = await ScpiClient.open(host, port);
  return new ScpiSource(client, identity);
};

/** A meter that watches a module at rest: it has no output to switch. */
class ScpiMeter extends ScpiSource {
  override set({ mode }: Setpoint): Promise<void> {
    if (mode === 'rest') return Promise.resolve();
    throw new InputProblem('instrument', 'A meter puts nothing out.', 'set point', 'Rest or a hold test.');
  }
  override watchdog = (): Promise<boolean> => Promise.resolve(true);
  override outputOn = (): Promise<void> => Promise.resolve();
  override outputOff = (): Promise<void> => Promise.resolve();
  // Nothing of its own flows: what it shows is somebody else's.
  override flowingA = (): Promise<number> => Promise.resolve(0);
}
export const openScpiMeter: BenchDriver = async (host, port) => {
  const { client, identity } = await ScpiClient.open(host, port);
  return new ScpiMeter(client, identity);
};
