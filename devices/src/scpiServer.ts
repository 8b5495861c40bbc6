import { createServer, type Server, type Socket } from 'node:net';
import { LineReader } from './lines';

/** What a command does with its parameters; a query answers. Throw a ScpiFault for what SCPI counts as an error. */
export type ScpiAction = (parameters: string[]) => string | void;
export class ScpiFault extends Error {
  constructor(
    readonly code: number,
    text: string,
  ) {
    super(text);
  }
}
/** Errors as SCPI-1999 numbers them (volume 2, 21.8). From memory. */
export const UNDEFINED = (): ScpiFault => new ScpiFault(-113, 'Undefined header');
export const OUT_OF_RANGE = (): ScpiFault => new ScpiFault(-222, 'Data out of range');
export const MISSING = (): ScpiFault => new ScpiFault(-109, 'Missing parameter');
export const NOT_A_NUMBER = (): ScpiFault => new ScpiFault(-120, 'Numeric data error');

/** Most errors that wait to be asked for; the last place tells of an overflow. */
const MOST_ERRORS = 20;

interface Known {
  /** Each part of the header: its short and its long form. */
  path: { short: string; long: string; optional: boolean }[];
  query: boolean;
  act: ScpiAction;
}

/** A header as its manual writes it: `[SOURce]:VOLTage[:LEVel]`; capitals are the short form, brackets may be left out. */
function known(header: string, act: ScpiAction): Known {
  const query = header.endsWith('?');
  const parts = header.replace(/\?$/, '').match(/\[:?[A-Za-z]+:?\]|[A-Za-z]+/g) ?? [];
  return {
    query,
    act,
    path: parts.map((p) => {
      const word = p.replace(/[^A-Za-z]/g, '');
      return { short: word.replace(/[a-z]/g, ''), long: word.toUpperCase(), optional: p.startsWith('[') };
    }),
  };
}
const fits = (k: Known, words: readonly string[], query: boolean): boolean => {
  if (k.query !== query) return false;
  const at = (i: number, j: number): boolean => {
    if (i === k.path.length) return j === words.length;
    const part = k.path[i]!;
    if (words[j] !== undefined && (words[j] === part.short || words[j] === part.long) && at(i + 1, j + 1))
      return true;
    return part.optional && at(i + 1, j);
  };
  return at(0, 0);
};

/**
 * The side of an instrument that listens: IEEE 488.2 common commands, SCPI-1999 headers in short and long form, compound
 * commands that go on from the header before, an error queue, over TCP with a line a message.
 */
export class ScpiServer {
  private readonly table: Known[] = [];
  private readonly errors: string[] = [];
  private esr = 128;
  private readonly sockets = new Set<Socket>();
  private readonly server: Server;
  /** Answers nothing any more. */
  silent = false;
  /** Waits so long before an answer, ms. */
  lagMs = 0;

  constructor(
    identity: string,
    commands: Record<string, ScpiAction>,
    private readonly common: Record<string, ScpiAction> = {},
  ) {
    for (const [header, act] of Object.entries(commands)) this.table.push(known(header, act));
    this.table.push(known('SYSTem:ERRor[:NEXT]?', () => this.errors.shift() ?? '0,"No error"'));
    this.table.push(known('SYSTem:VERSion?', () => '1999.0'));
    this.common = {
      '*IDN?': () => identity,
      '*CLS': () => {
        this.errors.length = 0;
        this.esr = 0;
      },
      '*ESR?': () => {
        const was = this.esr;
        this.esr = 0;
        return String(was);
      },
      '*OPC': () => void (this.esr |= 1),
      '*OPC?': () => '1',
      '*STB?': () => (this.errors.length > 0 ? '4' : '0'),
      '*TST?': () => '0',
      '*WAI': () => undefined,
      ...common,
    };
    this.server = createServer((socket) => {
      this.sockets.add(socket);
      const reader = new LineReader((line) => this.message(socket, line));
      socket.setEncoding('latin1');
      socket.on('data', (t) => !reader.push(String(t)) && socket.destroy());
      socket.on('error', () => undefined);
      socket.on('close', () => this.sockets.delete(socket));
    });
  }

  async listen(port = 0): Promise<number> {
    await new Promise<void>((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, '127.0.0.1', resolve);
    });
    return (this.server.address() as { port: number }).port;
  }
  /** Cuts whoever is connected; new ones may come. */
  cut(): void {
    for (const s of this.sockets) s.destroy();
  }
  stop(): void {
    this.cut();
    this.server.close();
  }

  private fault(code: number, text: string): void {
    this.esr |= code <= -200 ? 16 : 32;
    if (this.errors.length >= MOST_ERRORS) this.errors[MOST_ERRORS - 1] = '-350,"Queue overflow"';
    else this.errors.push(`${code},"${text}"`);
  }

  private message(socket: Socket, line: string): void {
    const answers: string[] = [];
    let before: string[] = [];
    for (const unit of line.split(';').map((u) => u.trim())) {
      if (unit === '') continue;
      const [head = '', ...rest] = unit.split(/\s+/);
      const parameters = rest
        .join(' ')
        .split(',')
        .map((p) => p.trim())
        .filter((p) => p !== '');
      try {
        const answer = head.startsWith('*')
          ? this.commonOf(head.toUpperCase())(parameters)
          : this.act(head, parameters, before, (path) => (before = path));
        if (typeof answer === 'string') answers.push(answer);
      } catch (e) {
        if (!(e instanceof ScpiFault)) throw e;
        this.fault(e.code, e.message);
      }
    }
    if (answers.length === 0 || this.silent) return;
    const say = (): void => void (!socket.destroyed && socket.write(`${answers.join(';')}\n`));
    if (this.lagMs > 0) setTimeout(say, this.lagMs).unref();
    else say();
  }
  private commonOf(head: string): ScpiAction {
    const act = this.common[head];
    if (!act) throw UNDEFINED();
    return act;
  }
  /** A header without a leading colon goes on from the branch of the one before it in the same message. */
  private act(
    head: string,
    parameters: string[],
    before: readonly string[],
    keep: (path: string[]) => void,
  ): string | void {
    const query = head.endsWith('?');
    const words = head.toUpperCase().replace(/\?$/, '').split(':').filter(Boolean);
    const tries = head.startsWith(':') ? [words] : [[...before, ...words], words];
    for (const path of tries) {
      const k = this.table.find((t) => fits(t, path, query));
      if (!k) continue;
      keep(path.slice(0, -1));
      return k.act(parameters);
    }
    throw UNDEFINED();
  }
}

/** A number among the parameters, within its range. @throws ScpiFault */
export function numberOf(parameters: readonly string[], least: number, most: number): number {
  const [text] = parameters;
  if (text === undefined) throw MISSING();
  const word = text.toUpperCase();
  const value =
    word === 'MIN' || word === 'MINIMUM' ? least : word === 'MAX' || word === 'MAXIMUM' ? most : Number(text);
  if (!Number.isFinite(value)) throw NOT_A_NUMBER();
  if (value < least || value > most) throw OUT_OF_RANGE();
  return value;
}
export function switchOf(parameters: readonly string[]): boolean {
  const word = parameters[0]?.toUpperCase();
  if (word === 'ON' || word === '1') return true;
  if (word === 'OFF' || word === '0') return false;
  throw word === undefined ? MISSING() : new ScpiFault(-224, 'Illegal parameter value');
}
