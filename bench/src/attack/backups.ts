import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { APP_ROLE } from '../../../scripts/lib/postgres.mjs';
import { restoreFrom } from '../../../scripts/lib/restore.mjs';
import * as steps from '../../../server/src/db/restored';
import { forgeries } from '../../../server/test/forgedBackups';
import { newDatabase, startBench } from '../../../server/test/harness';
import type { Line } from '../table';

/** Backups by somebody who means harm, each restored: whether a program of theirs was run, by the restore or by what serves after. */
export async function forgedBackupLines(ways: number): Promise<Line[]> {
  const bench = await startBench();
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-attack-'));
  let ran = 0;
  let restored = 0;
  let count = 0;
  try {
    for (const forged of await forgeries(bench.url, folder, ways)) {
      count++;
      const target = await newDatabase();
      try {
        restored += await restoreFrom(target.url, forged.file, steps, { appRole: APP_ROLE }).then(
          () => 1,
          () => 0,
        );
        if (restored > 0) await (await bench.another(target.appUrl)).close();
      } catch {
        // A database that was not restored serves nothing.
      } finally {
        if (forged.ran()) ran++;
        await target.drop();
      }
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
    await bench.end();
  }
  return [
    {
      what: `${count} forged backups: programs run`,
      ours: String(ran),
      against: `${restored} restored, rows alone`,
      ratio: '',
      aim: '0',
      met: ran === 0,
    },
  ];
}
