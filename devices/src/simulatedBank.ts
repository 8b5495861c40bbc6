import { numberOf, ScpiFault, ScpiServer } from './scpiServer';
import { SimulatedModule, type ModuleFacts } from './simulatedModule';

const TICK_MS = 50;
/** Longest piece of time that passes at one current, s. */
const PIECE_S = 5;

/**
 * A resistor bank behind a relay, a logger with its shunt and an NTC on the module, and a thermometer of its own: three that speak
 * SCPI over TCP on loopback, with one module that is not there.
 */
export class SimulatedBank {
  private closed = false;
  private watchdogS = 0;
  private heardAt = performance.now();
  private passedAt = performance.now();
  private readonly timer: NodeJS.Timeout;
  private readonly servers: ScpiServer[];
  private constructor(
    public module: SimulatedModule,
    private readonly facts: { ohm: number; speed: number; noWatchdog?: boolean; stuck?: boolean },
  ) {
    const channel = ([list]: string[]): void => {
      if (list !== '(@1)') throw new ScpiFault(-222, 'Data out of range');
    };
    const after = (of: () => number) => () => {
      this.pass();
      return of().toFixed(4);
    };
    const temperature = after(() => this.module.temperatureC);
    this.servers = [
      new ScpiServer('Bold Cellmend,simulated relay,0,1', {
        'ROUTe:CLOSe': (p) => {
          channel(p);
          this.heardAt = performance.now();
          this.pass();
          this.closed = true;
        },
        'ROUTe:CLOSe?': (p) => {
          channel(p);
          return this.closed ? '1' : '0';
        },
        'ROUTe:OPEN': (p) => {
          channel(p);
          this.pass();
          // Welded contacts, for tests.
          if (!facts.stuck) this.closed = false;
        },
        'SYSTem:COMMunicate:WDOG': (p) => void (this.watchdogS = facts.noWatchdog ? 0 : numberOf(p, 0, 3600)),
        'SYSTem:COMMunicate:WDOG?': () => String(this.watchdogS),
      }),
      new ScpiServer('Bold Cellmend,simulated logger,0,1', {
        'MEASure[:SCALar]:VOLTage[:DC]?': after(() => this.module.voltageV(this.amperes())),
        'MEASure[:SCALar]:CURRent[:DC]?': after(() => -this.amperes()),
        'MEASure[:SCALar]:TEMPerature?': temperature,
      }),
      new ScpiServer('Bold Cellmend,simulated thermometer,0,1', {
        'MEASure[:SCALar]:TEMPerature?': temperature,
      }),
    ];
    this.timer = setInterval(() => {
      const quietS = (performance.now() - this.heardAt) / 1000;
      if (this.closed && this.watchdogS > 0 && quietS > this.watchdogS) {
        this.pass();
        this.closed = false;
      }
      this.pass();
    }, TICK_MS);
    this.timer.unref();
  }

  static async start(
    module: ModuleFacts,
    facts: { ohm: number; speed: number; noWatchdog?: boolean; stuck?: boolean },
  ): Promise<{ bank: SimulatedBank; relay: number; logger: number; thermometer: number }> {
    const bank = new SimulatedBank(new SimulatedModule(module), facts);
    const [relay, logger, thermometer] = await Promise.all(bank.servers.map((s) => s.listen()));
    return { bank, relay: relay!, logger: logger!, thermometer: thermometer! };
  }
  get isClosed(): boolean {
    return this.closed;
  }
  stop(): void {
    clearInterval(this.timer);
    for (const s of this.servers) s.stop();
  }

  /** Ohm's law at the terminals: the module's own resistance is in series with the bank. Discharge is positive. */
  private amperes(): number {
    if (!this.closed) return 0;
    const rest = this.module.voltageV(0);
    const own = rest - this.module.voltageV(1);
    return Math.max(0, rest / (this.facts.ohm + own));
  }
  private pass(): void {
    const now = performance.now();
    let seconds = ((now - this.passedAt) / 1000) * this.facts.speed;
    this.passedAt = now;
    for (; seconds > 0; seconds -= PIECE_S) this.module.advance(Math.min(PIECE_S, seconds), this.amperes());
  }
}
