import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { demoFiles } from './demoFiles';

/** Writes the demo depot's packs and scans anew; the same seeds give the same files. */
const folder = process.argv[2] ?? join(dirname(fileURLToPath(import.meta.url)), '../../demo');
for (const [name, text] of Object.entries(demoFiles())) {
  const path = join(folder, name);
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, text);
  console.log(path);
}
