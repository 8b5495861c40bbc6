import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';

// What a tablet fetches before anything can be read on it, by the manifest of the build.

const dist = join(import.meta.dirname, '../../web/dist');
interface Chunk {
  file: string;
  imports?: string[];
  dynamicImports?: string[];
}
const manifest = JSON.parse(readFileSync(join(dist, '.vite/manifest.json'), 'utf8')) as Record<string, Chunk>;
const sizes = new Map<string, number>();
const kB = (file: string): number => {
  if (!sizes.has(file)) sizes.set(file, gzipSync(readFileSync(join(dist, file))).length / 1000);
  return sizes.get(file)!;
};
/** Every script that has to be there before the module runs. */
function needs(...modules: string[]): Set<string> {
  const files = new Set<string>();
  const seen = new Set<string>();
  const visit = (name: string): void => {
    if (seen.has(name)) return;
    seen.add(name);
    const chunk = manifest[name]!;
    if (chunk.file.endsWith('.js')) files.add(chunk.file);
    chunk.imports?.forEach(visit);
  };
  modules.forEach(visit);
  return files;
}
const weight = (files: Iterable<string>): number => [...files].reduce((s, f) => s + kB(f), 0);
const job = ['index.html', 'src/shell/JobShell.tsx'];
const stages = Object.keys(manifest).filter((m) => /^src\/stages\/.*\/\w+Stage\.tsx$/.test(m));

describe('script that is fetched first, compressed', () => {
  it('the sign-in and the board: at most 160 kB', () => {
    expect(weight(needs('index.html', 'src/shell/SignIn.tsx'))).toBeLessThanOrEqual(160);
    expect(weight(needs('index.html', 'src/board/Board.tsx'))).toBeLessThanOrEqual(160);
  });
  it('finds the pages of all stages', () => expect(stages.length).toBeGreaterThanOrEqual(10));
  it.each(stages)('%s: at most 120 kB more than the board', (stage) => {
    const first = needs('index.html', 'src/board/Board.tsx');
    const more = [...needs(...job, stage)].filter((f) => !first.has(f));
    expect(weight(more)).toBeLessThanOrEqual(120);
  });
});
