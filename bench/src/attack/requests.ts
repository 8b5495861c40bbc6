import { ROUTES } from '@cellmend/contract/routes';
import { randomUUID } from 'node:crypto';
import { seeded } from '../../../server/test/forgedArchives';
import { startBench } from '../../../server/test/harness';
import type { Line } from '../table';

type Random = () => number;
const pick = <T>(list: readonly T[], random: Random): T => list[Math.floor(random() * list.length)]!;

/** Values that no form sends. */
function hostileValue(random: Random, depth = 0): unknown {
  const plain: unknown[] = [
    null,
    true,
    -1,
    0,
    1e308,
    -1e308,
    2 ** 53,
    0.1,
    '',
    ' ',
    'x'.repeat(5000),
    '\u0000',
    '\ud800',
    "'; DROP TABLE jobs; --",
    '<script>',
    '../../etc/passwd',
    'NaN',
    'Infinity',
    '0x93',
    '９',
    '2020-02-30',
    '0001-01-01T00:00:00Z',
    '9999-12-31T23:59:59Z',
    randomUUID(),
    '__proto__',
    [],
    {},
  ];
  if (depth > 3 || random() < 0.6) return pick(plain, random);
  return random() < 0.5
    ? Array.from({ length: Math.floor(random() * 5) }, () => hostileValue(random, depth + 1))
    : Object.fromEntries(
        Array.from({ length: Math.floor(random() * 6) }, () => [
          pick(
            [
              'topic',
              'kind',
              'value',
              'place',
              'body',
              'id',
              'step',
              'data',
              'reason',
              'constructor',
              'measures',
            ],
            random,
          ),
          hostileValue(random, depth + 1),
        ]),
      );
}

/** Requests at every address of the description, as a lead, a viewer and nobody, with bodies that cannot be. */
export async function hostileRequestLines(count: number): Promise<Line[]> {
  const bench = await startBench();
  try {
    const lead = await bench.as('Ina Holm');
    const viewer = await bench.as('Bettine Vale');
    const random = seeded(33);
    // Nothing of these can be told from what a person means: an empty body closes, stops and signs out.
    const routes = ROUTES.filter(
      (r) =>
        r.path !== '/events' &&
        !/session|first-lead|stops$|\/safety\/close$|\/recompute$|\/live/.test(r.path),
    );
    const tables = [
      'people',
      'jobs',
      'scans',
      'observations',
      'decisions',
      'parts',
      'packs',
      'safety_rules',
      'qualifications',
    ];
    const counted = async (): Promise<string> =>
      JSON.stringify(
        (
          await bench.running.store.sequelize.query(
            `SELECT ${tables.map((t) => `(SELECT count(*) FROM ${t}) AS ${t}`).join(', ')}`,
          )
        )[0],
      );
    const before = await counted();
    const answers = new Map<number, number>();
    const failures: string[] = [];
    let next = 0;
    const thrower = async (): Promise<void> => {
      for (let i = next++; i < count; i = next++) {
        const r = pick(routes, random);
        const who = random() < 0.7 ? lead : viewer;
        const path = `/api${r.path}`
          .replaceAll('{number}', pick(['147', '144', '0x93', '-1', '99999999999', '%00', 'x'], random))
          .replace(/\{[a-z]+\}/gi, () => pick([randomUUID(), 'x', '%2e%2e', '1'], random));
        const way = random();
        const body = r.body
          ? way < 0.15
            ? `${'['.repeat(9000)}${']'.repeat(9000)}`
            : way < 0.25
              ? '{"a":'
              : hostileValue(random)
          : undefined;
        const answer = await who
          .call<object>(
            r.method.toUpperCase(),
            path,
            body,
            typeof body === 'string' ? { 'content-type': 'application/json' } : {},
          )
          .catch(() => ({ status: 0 }));
        answers.set(answer.status, (answers.get(answer.status) ?? 0) + 1);
        if (answer.status === 0 || answer.status >= 500)
          failures.push(`${r.method} ${path} ${answer.status}`);
      }
    };
    await Promise.all([thrower(), thrower(), thrower(), thrower()]);
    const after = await counted();
    return [
      {
        what: `${count} hostile requests: answers of 500 and above`,
        ours: `${failures.length}${failures.length > 0 ? ` (${failures.slice(0, 3).join('; ')})` : ''}`,
        against: [...answers]
          .sort()
          .map(([s, n]) => `${n} × ${s}`)
          .join(', '),
        ratio: before === after ? 'nothing stored' : `STORED ${before} ${after}`,
        aim: '0, nothing stored',
        met: failures.length === 0 && before === after,
      },
    ];
  } finally {
    await bench.end();
  }
}
