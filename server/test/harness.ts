import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import pg from 'pg';
import { pino } from 'pino';
import type { Moment } from '@cellmend/core/safety';
import type { Patience } from '../src/db/connect';
import { startServer, type Running } from '../src/server';

export const root = join(import.meta.dirname, '../..');

/**
 * A database of its own on the throw-away cluster that `npm test` started.
 * @param like the address of one that it is to be a copy of; nobody may be connected to that.
 */
export async function newDatabase(
  like = '',
): Promise<{ url: string; appUrl: string; drop: () => Promise<void> }> {
  const base = process.env.TEST_DATABASE_BASE;
  const appBase = process.env.TEST_DATABASE_APP_BASE;
  if (!base || !appBase) throw new Error('TEST_DATABASE_BASE is not set: run these tests through npm test.');
  const name = `t_${randomUUID().replaceAll('-', '')}`;
  const admin = async (sql: string): Promise<void> => {
    const client = new pg.Client({ connectionString: `${base}postgres` });
    await client.connect();
    await client.query(sql);
    await client.end();
  };
  await admin(`CREATE DATABASE ${name}${like && ` TEMPLATE ${new URL(like).pathname.slice(1)}`}`);
  return {
    url: `${base}${name}`,
    appUrl: `${appBase}${name}`,
    drop: () => admin(`DROP DATABASE ${name} WITH (FORCE)`),
  };
}

export interface Answer<T = unknown> {
  status: number;
  body: T;
  headers: Headers;
}

/** One client with its cookie, as a browser tab is. */
export class Client {
  cookie = '';
  constructor(readonly address: string) {}

  async call<T = never>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer<T>> {
    const raw = typeof body === 'string' || body instanceof Uint8Array;
    const response = await fetch(`${this.address}${path}`, {
      method,
      headers: {
        'x-cellmend': '1',
        ...(body === undefined
          ? {}
          : { 'content-type': raw ? 'application/octet-stream' : 'application/json' }),
        ...(this.cookie ? { cookie: this.cookie } : {}),
        ...headers,
      },
      ...(body === undefined ? {} : { body: raw ? (body as string) : JSON.stringify(body) }),
    });
    const set = response.headers.get('set-cookie');
    if (set) this.cookie = set.split(';')[0]!;
    const text = await response.text();
    let parsed: unknown = text;
    try {
      parsed = JSON.parse(text);
    } catch {
      // not JSON: kept as text
    }
    return { status: response.status, body: parsed as T, headers: response.headers };
  }
  get = <T = never>(path: string): Promise<Answer<T>> => this.call<T>('GET', path);
  post = <T = never>(path: string, body?: unknown, headers?: Record<string, string>): Promise<Answer<T>> =>
    this.call<T>('POST', path, body, headers);
}

/** The machine's clocks in a test's hand: time goes by when it says so, and the wall clock can be set apart. */
export class TestClock {
  private aheadMs = 0;
  private setMs = 0;
  private boot = 'boot-1';
  now = (): Moment => ({
    wallMs: Date.now() + this.aheadMs + this.setMs,
    bootId: this.boot,
    upS: (performance.now() + this.aheadMs) / 1000,
  });
  /** Minutes go by. */
  pass(minutes: number): void {
    this.aheadMs += minutes * 60_000;
  }
  /** Somebody sets the wall clock. */
  set(minutes: number): void {
    this.setMs += minutes * 60_000;
  }
  iso = (): string => new Date(this.now().wallMs).toISOString();
}

export interface Bench {
  clock: TestClock;
  running: Running;
  address: string;
  url: string;
  as: (name: string) => Promise<Client>;
  /** One more server process on the same database, or on another way to it. */
  another: (databaseUrl?: string, patience?: Patience) => Promise<Running>;
  /** Once no finding is due any more. */
  settled: () => Promise<void>;
  end: () => Promise<void>;
}

/** A server on a database of its own, with the demo depot unless asked otherwise. */
export async function startBench(
  demo = true,
  signInsPerMinute = 1000,
  demoRecords = false,
  demoBench = false,
): Promise<Bench> {
  const database = await newDatabase();
  const clock = new TestClock();
  const options = {
    clock,
    databaseUrl: database.appUrl,
    ownerUrl: database.url,
    port: 0,
    demo,
    demoRecords,
    demoBench,
    demoFolder: join(root, 'demo'),
    webFolder: join(root, 'web/dist'),
    logger: pino({ level: process.env.LOG_LEVEL ?? 'silent' }),
    signInsPerMinute,
  };
  const running = await startServer(options);
  const more: Running[] = [];
  const address = `http://127.0.0.1:${running.port}`;
  return {
    clock,
    running,
    address,
    url: database.url,
    as: async (name) => {
      const client = new Client(address);
      const { body } = await client.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
      const { status } = await client.post('/api/session/demo', {
        personId: body.demoPeople.find((p) => p.name === name)!.id,
      });
      if (status !== 200) throw new Error(`sign-in of ${name} answered ${status}`);
      return client;
    },
    another: async (databaseUrl = database.appUrl, patience?: Patience) => {
      const next = await startServer({ ...options, databaseUrl, ...(patience ? { patience } : {}) });
      more.push(next);
      return next;
    },
    settled: async () => {
      for (let i = 0; i < 600; i++) {
        const [rows] = await running.store.sequelize.query("SELECT 1 FROM due_findings WHERE failed = ''");
        if (rows.length === 0) return;
        await new Promise((r) => setTimeout(r, 50));
      }
      throw new Error('A finding is due and nobody computes it.');
    },
    end: async () => {
      for (const r of [running, ...more]) await r.close();
      await database.drop();
    },
  };
}
