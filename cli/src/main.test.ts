import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { run } from './run';

const root = join(import.meta.dirname, '../..');
const demo = join(root, 'demo');
/** As it is called from a shell. */
const spawned = (...args: string[]) =>
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

it('is a command: what came out on its streams, and how it ended', () => {
  const good = spawned(
    'split',
    '--in',
    file(JSON.stringify({ probability: [1, 3], linkMin: [6], testMin: 6 })),
  );
  expect([good.status, good.stderr]).toEqual([0, '']);
  expect(good.stdout.length).toBeGreaterThan(10);
  const bad = spawned('spread', '--loud');
  expect([bad.status, bad.stdout]).toEqual([2, '']);
  expect(bad.stderr).toMatch(/Unknown option/);
});

describe('cellmend spread', () => {
  it('prints the findings in their stable shape', async () => {
    const { status, stdout } = await run([
      'spread',
      '--pack',
      van,
      '--scan',
      join(demo, 'marram-3-before.csv'),
      '--json',
    ]);
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

  it('prints lines for people', async () => {
    const { status, stdout } = await run([
      'spread',
      '--pack',
      van,
      '--scan',
      join(demo, 'marram-3-after.csv'),
    ]);
    expect(status).toBe(0);
    expect(stdout).toMatch(/^No channel stands out\.\nCapacity: \d+\.\d A·h \(\d.*\)\.\nNext: /);
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
  ])('ends with 2 and a clear message for %s', async (_name, args, message) => {
    const { status, stderr, stdout } = await run(args);
    expect(status).toBe(2);
    expect(stderr).toMatch(message);
    expect(stdout).toBe('');
  });
});

describe('cellmend insulation and split', () => {
  const pilot = join(demo, 'packs/corrie-pilot.json');
  const observations = {
    observations: [
      { kind: 'poles', side: 'pack', packV: 348, negativeV: 146, positiveV: 201.6, meterOhm: 10e6 },
      {
        kind: 'tester',
        tested: { part: 'section', from: 'M07', to: 'M12' },
        setV: 500,
        temperatureC: 22,
        mounted: true,
        points: [
          { timeS: 30, ohm: 1.4e9, voltageV: 500 },
          { timeS: 60, ohm: 2.1e9, voltageV: 500 },
        ],
      },
    ],
  };

  it('locates, judges and plans', async () => {
    const { status, stdout } = await run([
      'insulation',
      '--pack',
      pilot,
      '--in',
      file(JSON.stringify(observations)),
      '--json',
    ]);
    expect(status).toBe(0);
    const r = JSON.parse(stdout) as {
      location: { fraction: { value: number } };
      tests: { result: { verdict: string; dar: number } }[];
      next: { kind: string };
    };
    expect(r.location.fraction.value).toBeCloseTo(0.42, 2);
    expect(r.tests[0]!.result).toMatchObject({ verdict: 'pass', dar: 1.5 });
    expect(r.next.kind).toBe('split');
    expect(
      (await run(['insulation', '--pack', pilot, '--in', file(JSON.stringify(observations))])).stdout,
    ).toMatch(/^Most likely at M06|^Between/);
  });

  it('begins where the given module voltages show one that stands low', async () => {
    const whole = { ...observations.observations[1]!, tested: { part: 'pack' } };
    const shareOf = async (lowV: number): Promise<number> => {
      const moduleV = Array.from({ length: 12 }, (_, i) => (i === 9 ? lowV : 29));
      const { stdout } = await run([
        'insulation',
        '--pack',
        pilot,
        '--in',
        file(JSON.stringify({ observations: [whole], moduleV })),
        '--json',
      ]);
      return (JSON.parse(stdout) as { modules: { probability: number }[] }).modules[9]!.probability;
    };
    expect(await shareOf(28.955)).toBeGreaterThan(1.5 * (await shareOf(29)));
  });

  it('plans a split, with halving and one by one beside it', async () => {
    const { status, stdout } = await run([
      'split',
      '--in',
      file(JSON.stringify({ probability: [1, 2, 5, 2], linkMin: [6, 6, null], testMin: 6 })),
      '--json',
    ]);
    expect(status).toBe(0);
    const plan = JSON.parse(stdout) as {
      test: { from: number; to: number };
      expected: { minutes: number };
      oneByOne: { minutes: number };
    };
    expect(plan.expected.minutes).toBeLessThanOrEqual(plan.oneByOne.minutes);
  });

  it.each([
    ['no file', ['split'], /--in names the file/],
    ['a file that is none', ['split', '--in', file('{')], /cannot be read/],
    [
      'too few links',
      ['split', '--in', file('{"probability":[1,1],"linkMin":[],"testMin":6}')],
      /One link fewer/,
    ],
    [
      'an unknown observation',
      ['insulation', '--pack', pilot, '--in', file('{"observations":[{"kind":"song"}]}')],
      /observations\.0/,
    ],
    [
      'readings that cannot be',
      [
        'insulation',
        '--pack',
        pilot,
        '--in',
        file(
          '{"observations":[{"kind":"poles","side":"pack","packV":348,"negativeV":300,"positiveV":300,"meterOhm":1e7}]}',
        ),
      ],
      /more than the pack/,
    ],
  ])('ends with 2 and a clear message for %s', async (_name, args, message) => {
    const { status, stderr } = await run(args);
    expect(status).toBe(2);
    expect(stderr).toMatch(message);
  });
});
