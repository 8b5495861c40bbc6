import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';

const root = join(import.meta.dirname, '../..');
const demo = join(root, 'demo');
const run = (...args: string[]) =>
  spawnSync(process.execPath, ['--import', 'tsx', join(root, 'cli/src/main.ts'), ...args], {
    cwd: root,
    encoding: 'utf8',
  });
const file = (text: string): string => {
  const path = join(mkdtempSync(join(tmpdir(), 'cellmend-cli-')), 'file');
  writeFileSync(path, text);
  return path;
};
const van = join(demo, 'packs/marram-3-van.json');

describe('cellmend spread', () => {
  it('prints the findings in their stable shape', () => {
    const { status, stdout } = run(
      'spread',
      '--pack',
      van,
      '--scan',
      join(demo, 'marram-3-before.csv'),
      '--json',
    );
    expect(status).toBe(0);
    const answer = JSON.parse(stdout) as { findings: Record<string, unknown>[]; nextTest: string };
    expect(answer.findings[0]).toMatchObject({ channel: 'ch027', module: 'M07', verdict: 'low-capacity' });
    expect(Object.keys(answer.findings[0]!)).toEqual([
      'channel',
      'module',
      'verdict',
      'confidence',
      'alternatives',
      'estimate',
      'reasons',
    ]);
    expect(answer.nextTest).toMatch(/ch027/);
  });

  it('prints lines for people', () => {
    const { status, stdout } = run('spread', '--pack', van, '--scan', join(demo, 'marram-3-after.csv'));
    expect(status).toBe(0);
    expect(stdout).toMatch(/^No channel stands out\.\nNext: /);
  });

  it.each([
    ['no topic', [], /No topic given/],
    ['an unknown topic', ['sing'], /no topic sing/],
    ['an unknown option', ['spread', '--loud'], /Unknown option/],
    ['no files', ['spread'], /needs --pack and --scan/],
    ['a missing pack', ['spread', '--pack', '/nowhere.json', '--scan', 'x'], /cannot be read/],
    ['a pack that is none', ['spread', '--pack', file('{"name":"x"}'), '--scan', 'x'], /chemistry/],
    ['a scan that is none', ['spread', '--pack', van, '--scan', file('hello\n')], /not a heading/],
    ['a missing scan', ['spread', '--pack', van, '--scan', '/nowhere.csv'], /cannot be read/],
  ])('ends with 2 and a clear message for %s', (_name, args, message) => {
    const { status, stderr, stdout } = run(...args);
    expect(status).toBe(2);
    expect(stderr).toMatch(message);
    expect(stdout).toBe('');
  });
});
