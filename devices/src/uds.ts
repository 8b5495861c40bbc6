import { IsoTpAssembler, parseUdsResponse, type UdsResponse } from '@cellmend/core/can';
import { InputProblem } from '@cellmend/core/pack';
import type { SocketcandClient } from './socketcand';

/** ISO 14229-2: a server answers within 50 ms, or says it needs up to 5 s more. Wider here, for slow gateways. */
const ANSWER_MS = 1000;
const PENDING_MS = 5000;

/** Asks a control unit by UDS over ISO-TP, one request at a time. */
export class UdsTester {
  private queue: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly client: SocketcandClient,
    private readonly requestId: number,
    private readonly responseId: number,
    private readonly extended = false,
  ) {}

  /** Sends a request of at most seven bytes and waits for its answer. @throws InputProblem if none comes. */
  ask(request: Uint8Array): Promise<{ response: UdsResponse; timeS: number }> {
    const next = this.queue.then(() => this.exchange(request));
    this.queue = next.catch(() => undefined);
    return next;
  }

  private exchange(request: Uint8Array): Promise<{ response: UdsResponse; timeS: number }> {
    return new Promise((resolve, reject) => {
      let timer: NodeJS.Timeout;
      const done = (): void => {
        clearTimeout(timer);
        stop();
      };
      const wait = (ms: number): void => {
        clearTimeout(timer);
        timer = setTimeout(() => {
          done();
          reject(
            new InputProblem(
              'no-answer',
              `The control unit at ${this.requestId.toString(16).toUpperCase()} does not answer.`,
              'the vehicle',
              'Ignition on, and definitions that belong to this vehicle.',
            ),
          );
        }, ms);
      };
      let timeS = 0;
      const assembler = new IsoTpAssembler((payload) => {
        try {
          const response = parseUdsResponse(payload);
          if (response.kind === 'negative' && response.pending) return wait(PENDING_MS);
          done();
          resolve({ response, timeS });
        } catch (e) {
          done();
          reject(e as Error);
        }
      });
      const stop = this.client.onFrame((frame) => {
        if (frame.id !== this.responseId || frame.extended !== this.extended) return;
        timeS = frame.timeS;
        try {
          assembler.push(frame.data);
        } catch (e) {
          done();
          return reject(e as Error);
        }
        // A first frame waits for leave to go on: all of it, without a pause.
        if (frame.data[0]! >> 4 === 1) this.send([0x30, 0, 0]);
        if (frame.data[0]! >> 4 === 1 || frame.data[0]! >> 4 === 2) wait(ANSWER_MS);
      });
      wait(ANSWER_MS);
      this.send([request.length, ...request]);
    });
  }

  private send(bytes: number[]): void {
    this.client.send(
      this.requestId,
      this.extended,
      Uint8Array.from({ length: 8 }, (_, i) => bytes[i] ?? 0xaa),
    );
  }
}
