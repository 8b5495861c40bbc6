import { InputProblem } from '@cellmend/core/pack';
import type { SeriesPoint } from '@cellmend/core/insulation';
import { connect, createServer, type Server, type Socket } from 'node:net';

const TIMEOUT_MS = 4000;
const LONGEST_LINE = 4096;

/** Lines of a stream; one without end is refused. */
class LineReader {
  private rest = '';
  constructor(private readonly onLine: (line: string) => void) {}
  push(text: string): boolean {
    this.rest += text;
    for (let at = this.rest.indexOf('\n'); at >= 0; at = this.rest.indexOf('\n')) {
      const line = this.rest.slice(0, at).trim();
      this.rest = this.rest.slice(at + 1);
      if (line !== '') this.onLine(line);
    }
    return this.rest.length <= LONGEST_LINE;
  }
}

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
      'An insulation tester that speaks SCPI over TCP.',
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

/**
 * Runs one insulation test: voltage up, a reading every `everyMs` until `seconds` of the instrument's own time have
 * passed, voltage down. The voltage comes down whatever happens.
 */
export async function runInsulationTest(
  client: ScpiClient,
  setV: number,
  seconds: number,
  onPoint: (point: SeriesPoint) => void,
  everyMs = 500,
): Promise<void> {
  client.say(`SOUR:VOLT ${setV}`);
  client.say('INIT');
  try {
    for (;;) {
      await new Promise((r) => setTimeout(r, everyMs));
      const [timeS, ohm, voltageV] = (await client.ask('FETC?')).split(',').map(Number);
      if (![timeS, ohm, voltageV].every((v) => v !== undefined && Number.isFinite(v)))
        throw new InputProblem(
          'instrument',
          'The instrument answers something else than time, ohms and volts.',
          '',
          'FETC? answered with three numbers.',
        );
      onPoint({ timeS: timeS!, ohm: ohm!, voltageV: voltageV! });
      if (timeS! >= seconds) return;
    }
  } finally {
    client.say('ABOR');
    await client.ask('*OPC?').catch(() => undefined);
  }
}

/** What the simulated tester is clipped to: a leak, or good insulation that absorbs. */
export interface ClippedTo {
  leakOhm: number | null;
  goodOhm: number;
}

/** An insulation tester that is not there: SCPI over TCP on loopback, with a current limit like a real one. */
export class SimulatedTester {
  private setV = 500;
  private startedAt: number | null = null;
  private readonly server: Server;

  private constructor(
    private readonly on: ClippedTo,
    private readonly speed: number,
  ) {
    this.server = createServer((socket) => {
      const reader = new LineReader((line) => this.command(socket, line));
      socket.setEncoding('latin1');
      socket.on('data', (t) => !reader.push(String(t)) && socket.destroy());
      socket.on('error', () => undefined);
    });
  }

  static async start(on: ClippedTo, speed = 1): Promise<{ tester: SimulatedTester; port: number }> {
    const tester = new SimulatedTester(on, speed);
    await new Promise<void>((resolve) => tester.server.listen(0, '127.0.0.1', resolve));
    return { tester, port: (tester.server.address() as { port: number }).port };
  }
  stop(): void {
    this.server.close();
  }

  private command(socket: Socket, line: string): void {
    const [word, value] = line.split(/\s+/);
    switch (word!.toUpperCase()) {
      case '*IDN?':
        return void socket.write('Bold Cellmend,simulated insulation tester,0,1\n');
      case '*OPC?':
        return void socket.write('1\n');
      case 'SOUR:VOLT':
        this.setV = Math.min(1000, Math.max(50, Number(value) || 500));
        return;
      case 'INIT':
        this.startedAt = performance.now();
        return;
      case 'ABOR':
        this.startedAt = null;
        return;
      case 'FETC?':
        return void socket.write(`${this.reading().join(',')}\n`);
    }
  }

  private reading(): [number, number, number] {
    if (this.startedAt === null) return [0, 0, 0];
    const timeS = ((performance.now() - this.startedAt) / 1000) * this.speed;
    const { leakOhm, goodOhm } = this.on;
    // Absorption: the apparent resistance rises towards its final value over a minute or so.
    const good = goodOhm * (0.45 + 0.55 * (1 - Math.exp(-timeS / 35)));
    const ohm = leakOhm === null ? good : (good * leakOhm) / (good + leakOhm);
    // The supply gives about 3.4 mA before it gives way.
    const voltageV = Math.min(this.setV, 0.0034 * ohm);
    return [Number(timeS.toFixed(2)), Math.round(ohm), Number(voltageV.toFixed(1))];
  }
}
