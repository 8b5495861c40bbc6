import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Runs a circuit in Debian's ngspice and answers with the values its control lines print, by name. */
export function ngspice(circuit: string, control: string): Map<string, number> {
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-spice-'));
  const file = join(folder, 'circuit.cir');
  writeFileSync(file, `* circuit\n${circuit}\n.control\nset numdgt=12\n${control}\nquit\n.endc\n.end\n`);
  const run = spawnSync('/usr/bin/ngspice', ['-b', file], { encoding: 'utf8' });
  rmSync(folder, { recursive: true });
  const found = new Map<string, number>();
  for (const m of run.stdout.matchAll(/^(\S[^=\n]*?)\s*=\s*([-+]?\d[\d.]*e[-+]\d+)/gim))
    found.set(m[1]!.toLowerCase().trim(), Number(m[2]));
  if (found.size === 0) throw new Error(`ngspice printed no value:\n${run.stdout}\n${run.stderr}`);
  return found;
}
