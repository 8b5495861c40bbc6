import { Client } from '../../../server/test/harness';
import { hostileFiles, type HostileFile } from '../../../server/test/hostileFiles';
import type { Line } from '../table';
import { WatchedServer } from './watched';

/** Throws them all at a server, a few at a time; nothing may freeze it, fill it or make it fail. */
export async function hostileLines(
  here: string,
  database: () => Promise<{ url: string; appUrl: string; drop: () => Promise<void> }>,
  count: number,
  seed: number,
): Promise<Line[]> {
  const files = await hostileFiles(seed, count);
  const db = await database();
  const server = await WatchedServer.start(here, db.appUrl, db.url);
  try {
    const ina = new Client(server.address);
    const people = await ina.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
    await ina.post('/api/session/demo', {
      personId: people.body.demoPeople.find((p) => p.name === 'Ina Holm')!.id,
    });
    await ina.get('/api/jobs/146');
    await server.watch();
    const answers = new Map<number, number>();
    let worst = { stallMs: 0, name: '' };
    let rssMb = 0;
    let next = 0;
    const failures: string[] = [];
    const path = ({ where, name }: HostileFile): string =>
      where === 'definition'
        ? `/api/definitions?name=${name}`
        : where === 'preview'
          ? `/api/jobs/146/scans/preview?name=${name}`
          : `/api/jobs/146/scans?name=${name}&role=before`;
    const thrower = async (): Promise<void> => {
      for (let k = next++; k < files.length; k = next++) {
        const file = files[k]!;
        const answer = await ina.post(path(file), file.bytes).catch(() => ({ status: 0 }));
        answers.set(answer.status, (answers.get(answer.status) ?? 0) + 1);
        if (answer.status === 0 || answer.status >= 500) failures.push(`${k} ${file.name}: ${answer.status}`);
        const seen = await server.watch();
        rssMb = Math.max(rssMb, seen.rssMb);
        if (seen.stallMs > worst.stallMs) worst = { stallMs: seen.stallMs, name: `${k} ${file.name}` };
      }
    };
    await Promise.all([thrower(), thrower(), thrower()]);
    const left = server.leftOver();
    const fails = failures.length > 0 ? ` (${failures.slice(0, 4).join('; ')})` : '';
    return [
      {
        what: `${count} hostile files, seed ${seed}: answers of 500 and above, or none`,
        ours: `${failures.length}${fails}`,
        against: [...answers].map(([s, n]) => `${n} × ${s}`).join(', '),
        ratio: server.alive ? 'alive' : 'DEAD',
        aim: '0',
        met: failures.length === 0 && server.alive,
      },
      {
        what: 'the same: event loop stood still, at most',
        ours: `${worst.stallMs.toFixed(0)} ms`,
        against: worst.name,
        ratio: '',
        aim: '≤ 200 ms',
        met: worst.stallMs <= 200,
      },
      {
        what: 'the same: memory, and files left behind',
        ours: `${rssMb.toFixed(0)} MB`,
        against: `${left.length} files`,
        ratio: left.slice(0, 2).join(', '),
        aim: '≤ 700 MB, 0',
        met: rssMb <= 700 && left.length === 0,
      },
    ];
  } finally {
    await server.stop();
    await db.drop();
  }
}
