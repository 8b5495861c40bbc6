import { LOCKS_OUT_V, ownVoltage, shownBy, type HiddenCircuit } from './insulationCircuit';
import { InputProblem } from '@cellmend/core/pack';
import type { Driver, Instrument, Switched } from './instrument';
import { connect, type Socket } from 'node:net';
import { LineReader } from './lines';
import { numberOf, ScpiServer, switchOf } from './scpiServer';

/** An instrument that has not answered within this is silent. */
const TIMEOUT_MS = 1500;

/** SCPI's not-a-number: no sensor there. */
const NO_NUMBER = 9.9e37;
const FIGURE = /^\s*[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?\s*$/;
/** Figures of an answer; what is empty or no number is NaN: no answer is not a reading. */
export const figuresOf = (answer: string, between: string): number[] =>
  answer.split(between).map((t) => (FIGURE.test(t) ? Number(t) : NaN));
export const celsiusOf = (c: number | undefined): number | null =>
  c === undefined ? NaN : c > NO_NUMBER ? null : c;

/** A bench instrument that speaks SCPI, a line a command, over TCP. */
export class ScpiClient {
  private readonly waiting: { resolve: (line: string) => void; reject: (e: Error) => void }[] = [];
  private lost: string | null = null;

  private constructor(
    private readonly socket: Socket,
    private readonly where: string,
  ) {
    const reader = new LineReader((line) => this.waiting.shift()?.resolve(line));
    socket.setEncoding('latin1');
    socket.on('data', (text) => !reader.push(String(text)) && this.fail('it sends no SCPI'));
    socket.on('error', (e) => this.fail(e.message));
    socket.on('close', () => this.fail('it closed the connection'));
  }

  static async open(host: string, port: number): Promise<{ client: ScpiClient; identity: string }> {
    const client = new ScpiClient(connect({ host, port }), `${host}:${port}`);
    try {
      return { client, identity: await client.ask('*IDN?') };
    } catch (e) {
      client.close();
      throw e;
    }
  }

  private fail(why: string): void {
    this.lost ??= why;
    this.socket.destroy();
    for (const w of this.waiting.splice(0)) w.reject(this.problem(why));
  }
  private problem(why: string): InputProblem {
    return new InputProblem(
      'instrument',
      `The instrument does not answer: ${why}.`,
      this.where,
      'An instrument that speaks SCPI over TCP.',
    );
  }

  say(command: string): void {
    this.socket.write(`${command}\n`);
  }

  async ask(command: string): Promise<string> {
    if (this.lost) throw this.problem(this.lost);
    let timer: NodeJS.Timeout | undefined;
    try {
      return await new Promise<string>((resolve, reject) => {
        timer = setTimeout(() => reject(this.problem(`no reply to ${command}`)), TIMEOUT_MS);
        this.waiting.push({ resolve, reject });
        this.say(command);
      });
    } finally {
      clearTimeout(timer);
    }
  }

  close(): void {
    this.lost ??= 'closed here';
    this.socket.destroy();
  }
}

/** What has an output that SCPI switches, with a watchdog of its own. */
export abstract class ScpiOutput implements Switched {
  constructor(
    protected readonly client: ScpiClient,
    readonly identity: string,
  ) {}
  async watchdog(seconds: number): Promise<boolean> {
    this.client.say(`SYST:COMM:WDOG ${seconds}`);
    return (await this.client.ask('SYST:COMM:WDOG?')) === String(seconds);
  }
  /** The command is on its way before anything is waited for: an off that is sent later comes later. */
  protected async switchOn(): Promise<void> {
    this.client.say('OUTP ON');
    if ((await this.client.ask('OUTP?')) !== '1') await this.stayedOff();
  }
  /** Says why an output that was switched on is not. @throws InputProblem */
  protected stayedOff(): Promise<never> {
    return Promise.reject(
      new InputProblem('instrument', 'The instrument did not switch its output on.', '', ''),
    );
  }
  async outputOff(): Promise<void> {
    this.client.say('OUTP OFF');
    if ((await this.client.ask('OUTP?')) !== '0')
      throw new InputProblem('instrument', 'The instrument says that its output is still on.', '', '');
  }
  close(): void {
    this.client.close();
  }
}

/** An insulation tester that speaks SCPI over TCP. */
class ScpiTester extends ScpiOutput implements Instrument {
  outputOn(setV: number): Promise<void> {
    this.client.say(`SOUR:VOLT ${setV}`);
    return this.switchOn();
  }
  /** A tester gives no voltage where it meets one. */
  protected override async stayedOff(): Promise<never> {
    const metV = Number(await this.client.ask('MEAS:VOLT?'));
    if (!(metV > 0)) return super.stayedOff();
    throw new InputProblem(
      'locked-out',
      `The tester met ${metV} V at its clips and gave none of its own.`,
      'the tester',
      'A part that floats holds no voltage to chassis: measure both its ends to chassis with a meter, and record what the tester met.',
    );
  }
  async read(): Promise<{ timeS: number; ohm: number; voltageV: number }> {
    const [timeS, ohm, voltageV] = figuresOf(await this.client.ask('FETC?'), ',');
    return { timeS: timeS ?? NaN, ohm: ohm ?? NaN, voltageV: voltageV ?? NaN };
  }
}

/** The driver of `scpi-insulation-tester`. */
export const openScpiTester: Driver = async (host, port) => {
  const { client, identity } = await ScpiClient.open(host, port);
  return new ScpiTester(client, identity);
};

/** What the simulated tester is clipped to: one leak, or good insulation that absorbs; or a whole string with its faults. */
export type ClippedTo = { leakOhm: number | null; goodOhm: number } | HiddenCircuit;

const circuitOf = (on: ClippedTo): HiddenCircuit =>
  'modules' in on
    ? on
    : {
        modules: 1,
        goodOhm: on.goodOhm,
        clip: [0],
        leaks: on.leakOhm === null ? [] : [{ at: 0, ohm: on.leakOhm }],
      };

/** What may go wrong with a simulated tester, for tests and for learning. */
export interface TesterFaults {
  /** It takes commands and says nothing any more, after so many readings. */
  silentAfter?: number;
  /** Its own clock stands still. */
  frozenClock?: boolean;
  /** It puts out more than was set, V. */
  overshootV?: number;
  /** It answers readings that are no numbers. */
  nonsense?: boolean;
  /** It has no output watchdog. */
  noWatchdog?: boolean;
}

/** An insulation tester that is not there: SCPI over TCP on loopback, with a current limit like a real one. */
export class SimulatedTester {
  private setV = 500;
  private startedAt: number | null = null;
  private watchdogS = 0;
  private heardAt = performance.now();
  private readings = 0;
  private readonly scpi: ScpiServer;
  private readonly timer: NodeJS.Timeout;

  private constructor(
    private on: ClippedTo,
    private readonly speed: number,
    readonly faults: TesterFaults,
  ) {
    const fed = (): void => void (this.heardAt = performance.now());
    this.scpi = new ScpiServer('Bold Cellmend,simulated insulation tester,0,2', {
      'SYSTem:COMMunicate:WDOG': (p) => void (this.watchdogS = faults.noWatchdog ? 0 : numberOf(p, 0, 3600)),
      'SYSTem:COMMunicate:WDOG?': () => String(this.watchdogS),
      '[SOURce]:VOLTage[:LEVel]': (p) => void (this.setV = numberOf(p, 50, 1000)),
      '[SOURce]:VOLTage[:LEVel]?': () => String(this.setV),
      'OUTPut[:STATe]': (p) => {
        fed();
        const on = switchOf(p) && ownVoltage(circuitOf(this.on)) < LOCKS_OUT_V;
        this.startedAt = on ? performance.now() : null;
      },
      // What it meets at its clips while it gives nothing itself.
      'MEASure:VOLTage?': () => ownVoltage(circuitOf(this.on)).toFixed(1).replace(/\.0$/, ''),
      // Looking at the output does not keep it on: only who drives it does.
      'OUTPut[:STATe]?': () => (this.outputIsOn ? '1' : '0'),
      'FETCh?': () => {
        fed();
        this.readings++;
        if (faults.silentAfter !== undefined && this.readings > faults.silentAfter) this.scpi.silent = true;
        return faults.nonsense ? 'oops,1,2' : this.reading().join(',');
      },
    });
    this.timer = setInterval(() => {
      const quietS = (performance.now() - this.heardAt) / 1000;
      if (this.outputIsOn && this.watchdogS > 0 && quietS > this.watchdogS) this.startedAt = null;
    }, 100);
    this.timer.unref();
  }

  static async start(
    on: ClippedTo,
    speed = 1,
    faults: TesterFaults = {},
    port = 0,
  ): Promise<{ tester: SimulatedTester; port: number }> {
    const tester = new SimulatedTester(on, speed, faults);
    return { tester, port: await tester.scpi.listen(port) };
  }
  stop(): void {
    clearInterval(this.timer);
    this.scpi.stop();
  }
  /** Clips it to something else. */
  clip(on: ClippedTo): void {
    this.on = on;
  }
  get outputIsOn(): boolean {
    return this.startedAt !== null;
  }

  private reading(): [number, number, number] {
    if (this.startedAt === null) return [0, 0, 0];
    const timeS = ((performance.now() - this.startedAt) / 1000) * this.speed;
    const { ohm, voltageV: heldV } = shownBy(circuitOf(this.on), this.setV, timeS);
    const voltageV = heldV < this.setV ? heldV : heldV + (this.faults.overshootV ?? 0);
    return [
      this.faults.frozenClock ? 0 : Number(timeS.toFixed(2)),
      Math.round(ohm),
      Number(voltageV.toFixed(1)),
    ];
  }
}
