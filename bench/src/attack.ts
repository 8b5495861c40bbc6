import { forgedArchiveLines } from './attack/archives';
import { forgedBackupLines } from './attack/backups';
import { gateLines } from './attack/gate';
import { hostileRequestLines } from './attack/requests';
import { lyingLines } from './attack/lying';
import { printTable } from './table';

/**
 * What somebody with a file, a browser or a wrong instrument could do to a workshop: forged archives and backups, instruments that
 * lie, hostile requests, ways round the gate. Bounded in count: `BENCH_ATTACK` is the share of the full counts (1), `BENCH_ATTACK_ONLY`
 * names parts (archives, backups, lying, requests, gate).
 */
export async function benchAttack(): Promise<void> {
  const share = Number(process.env.BENCH_ATTACK ?? 1);
  const only = process.env.BENCH_ATTACK_ONLY?.split(',');
  const of = (n: number): number => Math.max(1, Math.round(n * share));
  const parts = {
    lying: () => Promise.resolve(lyingLines(of(1000))),
    archives: () => forgedArchiveLines(of(500)),
    backups: () => forgedBackupLines(Math.max(1, Math.round(4 * share))),
    requests: () => hostileRequestLines(of(10_000)),
    gate: () => gateLines(of(200)),
  };
  for (const [name, run] of Object.entries(parts))
    if (!only || only.includes(name)) printTable(`attack: ${name}`, await run());
}
