import type { Response } from 'express';
import { Client } from 'pg';

/** What may wait for a page that does not read, bytes. */
const MOST_WAITING_BYTES = 1 << 20;

/**
 * Passes what any server process announced to the pages connected to this one.
 * LISTEN needs a connection of its own; it is made again when lost, and pages are then told to look again.
 */
export class LiveHub {
  private readonly pages = new Map<Response, string>();
  private client: Client | null = null;
  private readonly listeners: ((message: { topic?: string; jobId?: string }) => void)[] = [];
  private closed = false;
  private retry: NodeJS.Timeout | null = null;

  constructor(private readonly url: string) {}

  async open(): Promise<void> {
    const client = new Client({ connectionString: this.url });
    client.on('notification', (n) => this.send(n.payload ?? '{}'));
    client.on('error', () => this.lost(client));
    client.on('end', () => this.lost(client));
    try {
      await client.connect();
      await client.query('LISTEN cellmend');
      this.client = client;
      this.send(JSON.stringify({ topic: 'all', job: null }));
    } catch {
      this.lost(client);
    }
  }

  private lost(client: Client): void {
    client.removeAllListeners();
    client.on('error', () => undefined);
    if (this.client === client) this.client = null;
    void client.end().catch(() => undefined);
    if (!this.closed && !this.retry) {
      this.retry = setTimeout(() => {
        this.retry = null;
        void this.open();
      }, 1000);
    }
  }

  /** Called in this process with everything announced, by whichever process. */
  listen(listener: (message: { topic?: string; jobId?: string }) => void): void {
    this.listeners.push(listener);
  }

  private send(payload: string): void {
    const message = JSON.parse(payload) as { topic?: string; jobId?: string };
    for (const listener of this.listeners) listener(message);
    // Between processes only; pages have nothing to look at again.
    if (['stop-outputs', 'stop-run', 'people-changed'].includes(message.topic ?? '')) return;
    if (message.topic === 'signed-out') {
      const { sessions } = message as { sessions?: string[] };
      for (const [page, session] of this.pages) if (sessions?.includes(session)) page.end();
      return;
    }
    for (const page of this.pages.keys()) this.tell(page, `data: ${payload}\n\n`);
  }

  /** A page that does not read is cut: it looks again once it does. */
  private tell(page: Response, text: string): void {
    if (page.writableLength > MOST_WAITING_BYTES) page.destroy();
    else page.write(text);
  }

  /** @param session by `sessionName`: the page hears no more once it is signed out. */
  add(res: Response, session: string): void {
    res.set({
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-cache, no-transform',
      'X-Accel-Buffering': 'no',
    });
    res.flushHeaders();
    res.write('retry: 1000\n\n');
    this.pages.set(res, session);
    const beat = setInterval(() => this.tell(res, ': beat\n\n'), 20_000);
    res.on('close', () => {
      clearInterval(beat);
      this.pages.delete(res);
    });
  }

  async close(): Promise<void> {
    this.closed = true;
    if (this.retry) clearTimeout(this.retry);
    for (const page of this.pages.keys()) page.end();
    await this.client?.end().catch(() => undefined);
  }
}
