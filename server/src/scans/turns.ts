import { Refusal } from '../domain/refusal';

interface Waiting {
  who: string;
  begin: () => void;
  told: ((before: number) => void) | undefined;
  said: number;
}

/**
 * Turns at something that only so many may do at once. Whoever has least going on is next, the longest waiting of them:
 * one person with many tasks keeps no other waiting for more than one of them.
 */
export class Turns {
  private readonly running = new Map<string, number>();
  private readonly line: Waiting[] = [];
  private busy = 0;

  /** @param atOnce how many at once. @param most how many may wait. */
  constructor(
    private readonly atOnce: number,
    private readonly most: number,
  ) {}

  /**
   * Resolves when it is this one's turn, with what ends it.
   * @throws Refusal where too many wait; what `signal` was aborted with.
   */
  async wait(who: string, signal?: AbortSignal, onPlace?: (before: number) => void): Promise<() => void> {
    signal?.throwIfAborted();
    if (this.busy >= this.atOnce || this.line.length > 0) {
      if (this.line.length >= this.most)
        throw new Refusal('tooOften', 'Too much at once', 'Too many files wait to be read.', {
          accepted: 'The same in a while.',
        });
      await new Promise<void>((resolve, reject) => {
        const waiting: Waiting = { who, begin: resolve, told: onPlace, said: -1 };
        this.line.push(waiting);
        signal?.addEventListener(
          'abort',
          () => {
            const at = this.line.indexOf(waiting);
            if (at < 0) return;
            this.line.splice(at, 1);
            this.tell();
            reject(signal.reason as Error);
          },
          { once: true },
        );
        this.tell();
      });
    } else this.take(who);
    onPlace?.(0);
    let ended = false;
    return () => {
      if (ended) return;
      ended = true;
      this.busy--;
      const left = this.running.get(who)! - 1;
      if (left > 0) this.running.set(who, left);
      else this.running.delete(who);
      this.next();
    };
  }

  private take(who: string): void {
    this.busy++;
    this.running.set(who, (this.running.get(who) ?? 0) + 1);
  }

  /** Indices of the line in the order in which their turns come, as things are now. */
  private order(): Waiting[] {
    const running = new Map(this.running);
    const left = [...this.line];
    const out: Waiting[] = [];
    while (left.length > 0) {
      const at = left.reduce(
        (best, w, i) => ((running.get(w.who) ?? 0) < (running.get(left[best]!.who) ?? 0) ? i : best),
        0,
      );
      const [next] = left.splice(at, 1);
      running.set(next!.who, (running.get(next!.who) ?? 0) + 1);
      out.push(next!);
    }
    return out;
  }

  private next(): void {
    while (this.busy < this.atOnce && this.line.length > 0) {
      const [first] = this.order();
      this.line.splice(this.line.indexOf(first!), 1);
      this.take(first!.who);
      first!.begin();
    }
    this.tell();
  }

  private tell(): void {
    this.order().forEach((w, i) => {
      if (w.said === i + 1) return;
      w.said = i + 1;
      w.told?.(i + 1);
    });
  }
}
