import { fork, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
// Plain scripts without types: the same cluster code that the start command uses.
import { startCluster } from '../../scripts/lib/postgres.mjs';

interface Cluster {
  url: (database: string) => string;
  sql: (text: string, database?: string) => { ok: boolean; out: string };
  ensureDatabase: (name: string) => boolean;
  crash: () => void;
  revive: () => void;
  stop: () => void;
}

/** A cluster that keeps its promises on disk, and real server processes on it, to be killed and started at will. */
export class Workshop {
  readonly cluster: Cluster;
  private readonly servers = new Map<number, ChildProcess>();

  private constructor(
    cluster: Cluster,
    private readonly folder: string,
  ) {
    this.cluster = cluster;
  }

  static async open(): Promise<Workshop> {
    const folder = mkdtempSync(join(tmpdir(), 'cellmend-outage-'));
    const cluster = (await startCluster(folder)) as Cluster;
    cluster.ensureDatabase('cellmend');
    return new Workshop(cluster, folder);
  }

  /** Starts a server; on the same port as before if one is given. */
  async serve(port = 0): Promise<number> {
    const root = join(import.meta.dirname, '../..');
    const child = fork(join(root, 'server/src/main.ts'), {
      execArgv: ['--import', 'tsx'],
      cwd: root,
      stdio: ['ignore', process.env.BENCH_LOG ? 'inherit' : 'ignore', 'inherit', 'ipc'],
      env: {
        ...process.env,
        CELLMEND_DEMO_RECORDS: '0',
        NODE_ENV: 'production',
        DATABASE_URL: this.cluster.url('cellmend'),
        PORT: String(port),
        LOG_LEVEL: process.env.BENCH_LOG ?? 'silent',
      },
    });
    const taken = await new Promise<number>((resolve, reject) => {
      child.once('message', (m) => resolve((m as { port: number }).port));
      child.once('exit', (code) => reject(new Error(`the server ended with ${code}`)));
    });
    child.removeAllListeners('exit');
    this.servers.set(taken, child);
    return taken;
  }

  kill = (port: number): Promise<void> => this.finish(port, 'SIGKILL');
  /** As Ctrl-C does. */
  stopServer = (port: number): Promise<void> => this.finish(port, 'SIGTERM');

  private async finish(port: number, signal: 'SIGKILL' | 'SIGTERM'): Promise<void> {
    const child = this.servers.get(port)!;
    this.servers.delete(port);
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill(signal);
    await gone;
  }

  /** Count of rows that a condition finds. */
  count(what: string): number {
    return Number(this.cluster.sql(`SELECT count(*) FROM ${what}`, 'cellmend').out.trim());
  }

  async end(): Promise<void> {
    for (const port of [...this.servers.keys()]) await this.kill(port);
    this.cluster.stop();
    rmSync(this.folder, { recursive: true, force: true });
  }
}
