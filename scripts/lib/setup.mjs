// What a fresh machine lacks: Debian's packages and the npm packages. Plain Node, nothing installed beforehand.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '../..');

/** A message for a person, without a stack. */
export class Told extends Error {}

export const run = (command, args, options = {}) => {
  const result = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (result.status !== 0)
    throw new Told(`${command} ${args.join(' ')} failed${result.error ? `: ${result.error.message}` : ''}.`);
};

/** Folder of the newest PostgreSQL server programs, or null. */
export function postgresBin() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return null;
  const versions = readdirSync(base)
    .filter((v) => existsSync(join(base, v, 'bin/initdb')))
    .sort((a, b) => Number(b) - Number(a));
  return versions.length > 0 ? join(base, versions[0], 'bin') : null;
}

/** Makes sure Debian packages are there: installs them as root or through sudo, else says the one line to run. */
export function ensureDebian(wanted) {
  const missing = wanted.filter((w) => !w.present());
  if (missing.length === 0) return;
  const names = missing.map((m) => m.package);
  const line = `apt-get install -y --no-install-recommends ${names.join(' ')}`;
  const isRoot = process.getuid?.() === 0;
  const sudo = !isRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0;
  if (!isRoot && !sudo)
    throw new Told(
      `Missing on this machine: ${names.join(', ')}. Run once:\n  sudo apt-get update && sudo ${line}`,
    );
  console.log(`Installing ${names.join(', ')} …`);
  const prefix = isRoot ? [] : ['sudo', '-n'];
  const apt = (args) => {
    const [command, ...rest] = [...prefix, 'apt-get', ...args];
    // The package would start a server of its own; ours is private to this folder.
    return (
      spawnSync(command, rest, {
        stdio: ['ignore', 'ignore', 'inherit'],
        env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
      }).status === 0
    );
  };
  apt(['update', '-qq']);
  if (!apt(['install', '-y', '-qq', '--no-install-recommends', ...names]))
    throw new Told(`Could not install ${names.join(', ')}. Try:\n  ${line}`);
}

export const POSTGRES = { package: 'postgresql', present: () => postgresBin() !== null };
export const CHROMIUM = { package: 'chromium', present: () => existsSync('/usr/bin/chromium') };

/** Independent peers that the tests check against. */
export const PEERS = [
  { package: 'python3-can', present: () => existsSync('/usr/lib/python3/dist-packages/can') },
  { package: 'python3-scipy', present: () => existsSync('/usr/lib/python3/dist-packages/scipy') },
  { package: 'python3-pyvisa-py', present: () => existsSync('/usr/lib/python3/dist-packages/pyvisa_py') },
  { package: 'ngspice', present: () => existsSync('/usr/bin/ngspice') },
];

/** `npm ci` when the lock file has changed since the last time. */
export function ensureNpm() {
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex');
  const mark = join(root, 'node_modules/.cellmend-lock');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return;
  console.log('Installing npm packages …');
  run('npm', ['ci', '--include=dev', '--no-audit', '--no-fund', '--loglevel=error']);
  writeFileSync(mark, lock);
}

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19))
    throw new Told(`Node ${process.versions.node} is too old: 20.19 or newer is needed.`);
}

/** Runs the main function and turns what goes wrong into one clear message. */
export function main(work) {
  work().catch((error) => {
    console.error(error instanceof Told ? error.message : error);
    process.exit(1);
  });
}
