import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable } from '../../pack';
import { smoothTable } from './smoothOcvTable';

describe('a table as a smooth curve', () => {
  it.each([
    ['flat', defaultOcvTable('lfp')],
    ['sloped', defaultOcvTable('nmc')],
    [
      'with equal points',
      [
        [0, 3],
        [0.1, 3.2],
        [0.3, 3.2],
        [0.35, 3.2],
        [0.8, 3.3],
        [1, 3.9],
      ] as [number, number][],
    ],
  ])('is what scipy.interpolate.PchipInterpolator makes of it: %s', (_name, table) => {
    const smooth = smoothTable(table);
    const run = spawnSync(
      '/usr/bin/python3',
      [
        '-c',
        'import json,sys\nfrom scipy.interpolate import PchipInterpolator\nx=json.load(sys.stdin)\nprint(json.dumps(list(PchipInterpolator(*zip(*x["table"]))(x["at"]))))',
      ],
      { encoding: 'utf8', input: JSON.stringify({ table, at: smooth.map(([s]) => s) }) },
    );
    expect(run.stderr).toBe('');
    const theirs = JSON.parse(run.stdout) as number[];
    smooth.forEach(([, v], i) => expect(v).toBeCloseTo(theirs[i]!, 9));
    for (let i = 1; i < smooth.length; i++) expect(smooth[i]![1]).toBeGreaterThanOrEqual(smooth[i - 1]![1]);
  });

  it('leaves two points as they are', () => {
    expect(
      smoothTable([
        [0, 3],
        [1, 4],
      ]),
    ).toEqual([
      [0, 3],
      [1, 4],
    ]);
  });
});
