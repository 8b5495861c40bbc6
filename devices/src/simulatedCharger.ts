import { SimulatedModule, type ModuleFacts } from './simulatedModule';
import { numberOf, ScpiServer, switchOf } from './scpiServer';

export type ChargerRole = 'charger' | 'supply' | 'load' | 'meter';
export interface ChargerFacts {
  role: ChargerRole;
  mostV: number;
  mostA: number;
  /** How much faster than time it runs. */
  speed: number;
  /** No sensor on the module. */
  noSensor?: boolean;
  /** Noise of one reading, V. */
  noiseV?: number;
}
/** What may go wrong with it, for tests and for learning. */
export interface ChargerFaults {
  /** Says nothing any more after so many readings. */
  silentAfter?: number;
  nonsense?: boolean;
  noWatchdog?: boolean;
  /** Gives this share of what was set. */
  gives?: number;
  /** A lead that has come off. */
  open?: boolean;
}

const TICK_MS = 50;

/** A charger and load that is not there, with a module that is not there clipped to it: SCPI over TCP on loopback. */
export class SimulatedCharger {
  private on = false;
  private setA = 0;
  private setV: number;
  private watchdogS = 0;
  private heardAt = performance.now();
  private passedAt = performance.now();
  private flowsA = 0;
  private readings = 0;
  private readonly scpi: ScpiServer;
  private readonly timer: NodeJS.Timeout;
  readonly faults: ChargerFaults;

  private constructor(
    readonly facts: ChargerFacts,
    public module: SimulatedModule,
    faults: ChargerFaults,
  ) {
    this.faults = faults;
    this.setV = facts.mostV;
    const into = facts.role === 'load' || facts.role === 'meter' ? 0 : facts.mostA;
    const out = facts.role === 'supply' || facts.role === 'meter' ? 0 : facts.mostA;
    const heard = (): void => void (this.heardAt = performance.now());
    const measured = (of: () => number): string => {
      heard();
      this.readings++;
      this.pass();
      if (faults.silentAfter !== undefined && this.readings > 3 * faults.silentAfter) this.scpi.silent = true;
      return faults.nonsense ? 'oops' : of().toFixed(4);
    };
    this.scpi = new ScpiServer(
      `Bold Cellmend,simulated ${facts.role},0,1`,
      {
        '[SOURce]:VOLTage[:LEVel]': (p) => void (this.setV = numberOf(p, 0, facts.mostV)),
        '[SOURce]:VOLTage[:LEVel]?': () => this.setV.toFixed(4),
        '[SOURce]:CURRent[:LEVel]': (p) => {
          this.pass();
          this.setA = numberOf(p, -out, into);
        },
        '[SOURce]:CURRent[:LEVel]?': () => this.setA.toFixed(4),
        'OUTPut[:STATe]': (p) => {
          heard();
          this.pass();
          this.on = switchOf(p);
        },
        // Looking at the output does not keep it on: only who drives it does.
        'OUTPut[:STATe]?': () => (this.on ? '1' : '0'),
        'SYSTem:COMMunicate:WDOG': (p) =>
          void (this.watchdogS = faults.noWatchdog ? 0 : numberOf(p, 0, 3600)),
        'SYSTem:COMMunicate:WDOG?': () => String(this.watchdogS),
        'MEASure[:SCALar]:VOLTage[:DC]?': () => measured(() => this.volts()),
        'MEASure[:SCALar]:CURRent[:DC]?': () => measured(() => -this.flowsA),
        'MEASure[:SCALar]:TEMPerature?': () =>
          measured(() => (facts.noSensor ? 9.91e37 : this.module.temperatureC)),
      },
      {
        '*RST': () => {
          this.pass();
          this.on = false;
          this.setA = 0;
        },
      },
    );
    this.timer = setInterval(() => {
      const quietS = (performance.now() - this.heardAt) / 1000;
      if (this.on && this.watchdogS > 0 && quietS > this.watchdogS) {
        this.pass();
        this.on = false;
      }
      this.pass();
    }, TICK_MS);
    this.timer.unref();
  }

  /** Answers again after it was silent. */
  speaksAgain(): void {
    this.scpi.silent = false;
  }

  static async start(
    facts: ChargerFacts,
    module: ModuleFacts,
    faults: ChargerFaults = {},
    port = 0,
  ): Promise<{ charger: SimulatedCharger; port: number }> {
    const charger = new SimulatedCharger(facts, new SimulatedModule(module), faults);
    return { charger, port: await charger.scpi.listen(port) };
  }
  get outputIsOn(): boolean {
    return this.on;
  }
  /** Cuts the line; it may be opened again. */
  cut(): void {
    this.scpi.cut();
  }
  stop(): void {
    clearInterval(this.timer);
    this.scpi.stop();
  }

  private volts(): number {
    if (this.faults.open) return 0;
    const noise = (this.facts.noiseV ?? 0) * (Math.random() - 0.5) * 2;
    return this.module.voltageV(this.flowsA) + noise;
  }
  /** What flows now; discharge is positive. */
  private flow(): number {
    if (!this.on || this.faults.open) return 0;
    const gives = this.faults.gives ?? 1;
    if (this.setA > 0) return -Math.min(this.setA * gives, this.module.chargesAtV(this.setV));
    const drawn = -this.setA * gives;
    return this.module.voltageV(drawn) > this.setV ? drawn : 0;
  }
  /** Lets the time pass that has passed: at a high speed in pieces, so that a limit is met where it lies. */
  private pass(): void {
    const now = performance.now();
    let seconds = ((now - this.passedAt) / 1000) * this.facts.speed;
    this.passedAt = now;
    while (seconds > 0) {
      const piece = Math.min(5, seconds);
      this.flowsA = this.flow();
      this.module.advance(piece, this.flowsA);
      seconds -= piece;
    }
    this.flowsA = this.flow();
  }
}
