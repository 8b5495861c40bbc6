// npm test: sets up what is missing, then lint, types, import rule, unit and API tests, browser journeys.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join, relative } from 'node:path';
import { checkNode, CHROMIUM, ensureDebian, ensureNpm, main, PEERS, POSTGRES, root } from './lib/setup.mjs';
import { throwAwayCluster } from './lib/postgres.mjs';

let passed = 0;
let failed = 0;
/** What failed, by name: said again at the end, where whoever reads only the last lines looks. */
const fallen = [];
const results = join(root, 'test-results');

const command = (name, args, env = {}) =>
  new Promise((resolve) => {
    const child = spawn(name, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } });
    child.on('exit', (code) => resolve(code === 0));
    child.on('error', () => resolve(false));
  });

/** A check that passes or fails as one. */
async function check(label, name, args) {
  console.log(`\n— ${label}`);
  const ok = await command(name, args);
  if (ok) passed++;
  else {
    failed++;
    fallen.push(label);
  }
  console.log(ok ? `${label}: passed` : `${label}: FAILED`);
  return ok;
}

/** Runs Vitest and counts the tests from its report; a run without a report is one failure. */
async function vitest(label, project, env) {
  console.log(`\n— ${label}`);
  const report = join(results, `${project}.json`);
  rmSync(report, { force: true });
  const ok = await command(
    'npx',
    [
      'vitest',
      'run',
      '--project',
      project,
      '--reporter=default',
      '--reporter=json',
      `--outputFile.json=${report}`,
    ],
    env,
  );
  if (!existsSync(report)) {
    failed++;
    fallen.push(`${label}: no report`);
    return;
  }
  const counts = JSON.parse(readFileSync(report, 'utf8'));
  passed += counts.numPassedTests;
  failed += counts.numFailedTests;
  if (!ok && counts.numFailedTests === 0) failed++;
  if (counts.numTotalTests === 0) failed++;
  for (const file of counts.testResults ?? []) {
    const where = relative(root, file.name);
    const tests = file.assertionResults.filter((t) => t.status === 'failed');
    for (const t of tests)
      fallen.push(
        `${where}: ${t.fullName}\n    ${(t.failureMessages?.[0] ?? '').split('\n').slice(0, 6).join('\n    ')}`,
      );
    if (tests.length === 0 && file.status === 'failed')
      fallen.push(`${where}: ${(file.message ?? '').split('\n')[0]}`);
  }
}

main(async () => {
  checkNode();
  ensureDebian([POSTGRES, CHROMIUM, ...PEERS]);
  ensureNpm();
  mkdirSync(results, { recursive: true });
  const cluster = await throwAwayCluster();
  const databases = { TEST_DATABASE_BASE: cluster.url(''), TEST_DATABASE_APP_BASE: cluster.appUrl('') };
  const end = () => cluster.stop();
  process.on('SIGINT', () => {
    end();
    process.exit(130);
  });
  try {
    // Two at a time: each is the work of one core.
    const looks = async () => {
      await check('Lint', 'npx', ['eslint', '.']);
      await check('Import rule', 'npx', [
        'depcruise',
        '--config',
        '.dependency-cruiser.cjs',
        'core/src',
        'contract/src',
        'server/src',
        'web/src',
        'cli/src',
        'devices/src',
      ]);
    };
    const types = async () => {
      await check('Types of the computation alone', 'npx', ['tsc', '-p', 'core']);
      await check('Types', 'npx', ['tsc', '-p', '.']);
    };
    await Promise.all([looks(), types()]);
    await vitest('Unit tests', 'unit', {});
    await vitest('API tests on PostgreSQL', 'api', databases);
    if (await check('Build', 'npm', ['run', '-s', 'build']))
      await vitest('Browser journeys', 'browser', databases);
  } finally {
    end();
  }
  for (const one of fallen) console.log(`\nFAILED ${one}`);
  console.log(`\n${passed} passed, ${failed} failed`);
  process.exitCode = failed === 0 ? 0 : 1;
});
