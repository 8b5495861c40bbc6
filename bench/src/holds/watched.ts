import { fork, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** What a watched server tells of itself. */
export interface Watch {
  /** Longest time between two turns of its event loop, beyond what was asked for, ms. */
  stallMs: number;
  rssMb: number;
}

/** A server process of a checkout, with a watch on its event loop and its memory. */
export class WatchedServer {
  private constructor(
    private readonly child: ChildProcess,
    readonly address: string,
    private readonly folder: string,
  ) {}

  static async start(checkout: string, databaseUrl: string, ownerUrl: string): Promise<WatchedServer> {
    const folder = mkdtempSync(join(tmpdir(), 'cellmend-watched-'));
    const child = fork(join(checkout, 'server/src/main.ts'), {
      execArgv: ['--import', 'tsx', '--import', join(import.meta.dirname, 'loopWatch.mjs')],
      cwd: checkout,
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
      env: {
        ...process.env,
        NODE_ENV: 'production',
        CELLMEND_DEMO_RECORDS: '0',
        CELLMEND_TMP: folder,
        CELLMEND_LIVE: join(folder, 'live'),
        DATABASE_URL: databaseUrl,
        CELLMEND_OWNER_URL: ownerUrl,
        PORT: '0',
        LOG_LEVEL: 'silent',
      },
    });
    const port = await new Promise<number>((resolve, reject) => {
      const listen = (m: unknown): void => {
        if (typeof m === 'object' && m !== null && 'port' in m) resolve(Number(m.port));
      };
      child.on('message', listen);
      child.once('exit', (code) => reject(new Error(`the server ended with ${code}`)));
    });
    return new WatchedServer(child, `http://127.0.0.1:${port}`, folder);
  }

  /** What was seen since it was asked last. */
  watch(): Promise<Watch> {
    return new Promise((resolve) => {
      const listen = (m: unknown): void => {
        if (typeof m !== 'object' || m === null || !('stallMs' in m)) return;
        this.child.off('message', listen);
        resolve(m as Watch);
      };
      this.child.on('message', listen);
      this.child.send('watch');
    });
  }

  get alive(): boolean {
    return this.child.exitCode === null && this.child.signalCode === null;
  }
  /** Files that it left in its folder for what is temporary. */
  leftOver(): string[] {
    const left: string[] = [];
    const look = (path: string): void => {
      for (const entry of readdirSync(path, { withFileTypes: true }))
        if (entry.isDirectory()) look(join(path, entry.name));
        else left.push(join(path, entry.name));
    };
    look(this.folder);
    return left;
  }

  async stop(): Promise<void> {
    if (this.alive) {
      const gone = new Promise((resolve) => this.child.once('exit', resolve));
      this.child.kill('SIGTERM');
      await gone;
    }
    rmSync(this.folder, { recursive: true, force: true });
  }
}
