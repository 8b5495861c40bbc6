import { InputProblem } from '@cellmend/core/pack';
import { connect, type Socket } from 'node:net';

/** One frame on the bus. */
export interface BusFrame {
  id: number;
  extended: boolean;
  data: Uint8Array;
  timeS: number;
}

const hex = (v: number, digits: number): string => v.toString(16).toUpperCase().padStart(digits, '0');

/** A reply longer than this without an end is not the protocol. */
const LONGEST_REPLY = 65536;
const TIMEOUT_MS = 4000;

/** Splits a stream into the bracketed messages of the socketcand text protocol: `< hi >`, `< frame … >`. */
export class BracketReader {
  private rest = '';
  constructor(private readonly onMessage: (text: string) => void) {}

  /** @throws InputProblem if a message never ends. */
  push(text: string): void {
    this.rest += text;
    for (;;) {
      const from = this.rest.indexOf('<');
      const to = this.rest.indexOf('>', from);
      if (from < 0) this.rest = '';
      if (from < 0 || to < 0) break;
      const message = this.rest.slice(from + 1, to).trim();
      this.rest = this.rest.slice(to + 1);
      this.onMessage(message);
    }
    if (this.rest.length > LONGEST_REPLY)
      throw new InputProblem(
        'socketcand',
        'The gateway sends something that is not the socketcand protocol.',
        '',
        'Messages in angle brackets, such as < hi >.',
      );
  }
}

/** Reads `frame 7EC 1436509053.850870 0462F190AA`; three identifier digits mean standard, eight extended. */
export function parseFrameMessage(message: string): BusFrame | null {
  const m = /^frame\s+([0-9A-Fa-f]{1,8})\s+(\d+(?:\.\d+)?)\s*([0-9A-Fa-f ]*)$/.exec(message);
  if (!m) return null;
  const digits = m[3]!.replaceAll(' ', '');
  if (digits.length % 2 || digits.length > 128) return null;
  return {
    id: parseInt(m[1]!, 16),
    extended: m[1]!.length > 3,
    timeS: Number(m[2]),
    data: Uint8Array.from({ length: digits.length / 2 }, (_, i) =>
      parseInt(digits.slice(2 * i, 2 * i + 2), 16),
    ),
  };
}

export const printFrameMessage = (f: BusFrame): string =>
  `< frame ${hex(f.id, f.extended ? 8 : 3)} ${f.timeS.toFixed(6)} ${[...f.data].map((b) => hex(b, 2)).join('')} >`;

/** Client of a CAN gateway that speaks the open socketcand text protocol over TCP, in raw mode. */
export class SocketcandClient {
  private readonly frameListeners = new Set<(frame: BusFrame) => void>();
  private readonly closeListeners = new Set<(why: string) => void>();
  private waiting: { resolve: (text: string) => void; reject: (e: Error) => void } | null = null;
  private closedWhy: string | null = null;

  private constructor(
    private readonly socket: Socket,
    private readonly where: string,
  ) {
    const reader = new BracketReader((message) => this.message(message));
    socket.setNoDelay(true);
    socket.setEncoding('latin1');
    socket.on('data', (text) => {
      try {
        reader.push(String(text));
      } catch (e) {
        this.lost((e as Error).message);
      }
    });
    socket.on('error', (e) => this.lost(e.message));
    socket.on('close', () => this.lost('the gateway closed the connection'));
  }

  /** Connects, opens the bus and switches to raw mode. @throws InputProblem if that fails. */
  static async open(host: string, port: number, bus: string): Promise<SocketcandClient> {
    const where = `${host}:${port}, bus ${bus}`;
    const socket = connect({ host, port });
    const client = new SocketcandClient(socket, where);
    try {
      await client.expect('hi', null);
      await client.expect('ok', `< open ${bus} >`);
      await client.expect('ok', '< rawmode >');
    } catch (e) {
      client.close();
      throw e;
    }
    return client;
  }

  private problem(what: string): InputProblem {
    return new InputProblem(
      'gateway',
      what,
      this.where,
      'A gateway that speaks socketcand and has that bus.',
    );
  }

  private async expect(wanted: string, say: string | null): Promise<void> {
    if (this.closedWhy) throw this.problem(`No gateway answers: ${this.closedWhy}.`);
    const reply = new Promise<string>((resolve, reject) => (this.waiting = { resolve, reject }));
    if (say) this.socket.write(say);
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<never>((_, reject) => {
      timer = setTimeout(() => reject(this.problem('The gateway does not answer.')), TIMEOUT_MS);
    });
    try {
      const got = await Promise.race([reply, late]);
      if (got !== wanted)
        throw this.problem(`The gateway answered “${got.slice(0, 60)}” to ${say ?? 'the connection'}.`);
    } finally {
      clearTimeout(timer);
      this.waiting = null;
    }
  }

  private message(text: string): void {
    if (text.startsWith('frame')) {
      const frame = parseFrameMessage(text);
      if (frame) for (const l of this.frameListeners) l(frame);
      return;
    }
    this.waiting?.resolve(text);
  }

  private lost(why: string): void {
    if (this.closedWhy) return;
    this.closedWhy = why;
    this.waiting?.reject(this.problem(`No gateway answers: ${why}.`));
    this.socket.destroy();
    for (const l of this.closeListeners) l(why);
  }

  onFrame(listener: (frame: BusFrame) => void): () => void {
    this.frameListeners.add(listener);
    return () => this.frameListeners.delete(listener);
  }
  onClose(listener: (why: string) => void): void {
    this.closeListeners.add(listener);
    if (this.closedWhy) listener(this.closedWhy);
  }

  send(id: number, extended: boolean, data: Uint8Array): void {
    this.socket.write(
      `< send ${hex(id, extended ? 8 : 3)} ${data.length} ${[...data].map((b) => hex(b, 2)).join(' ')} >`,
    );
  }

  close(): void {
    this.closedWhy ??= 'closed here';
    this.socket.destroy();
  }
}
