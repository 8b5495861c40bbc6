import type { SafetyRules } from '@cellmend/contract/safety';
import { QueryTypes, type Transaction } from 'sequelize';
import { select } from '../db/select';
import type { Doing, Store } from '../domain/store';

/** Rules of the gate as somebody signed them. */
export interface SignedRules extends SafetyRules {
  version: number;
}

/**
 * Versions from one on, oldest first. A job that was taken in may name one that was never in force here: then all there are, of which
 * the strictest count.
 */
async function versionsFrom(store: Store, version: number, tx?: Transaction): Promise<SignedRules[]> {
  const from = await readFrom(store, version, tx);
  return from.length > 0 ? from : readFrom(store, 1, tx);
}
const RULES = `SELECT version, two_persons AS "twoPersons", gate_hours AS "gateHours", least_wait_min AS "leastWaitMin", dead_v AS "deadV"
  FROM safety_rules`;
async function readFrom(store: Store, version: number, tx?: Transaction): Promise<SignedRules[]> {
  return select(store, `${RULES} WHERE version >= :version ORDER BY version`, { version }, tx);
}

/** The rules in force for a lock-out that is begun now. */
export async function newestRules(store: Store, tx?: Transaction): Promise<SignedRules> {
  const [row] = await select<SignedRules>(store, `${RULES} ORDER BY version DESC LIMIT 1`, {}, tx);
  return row!;
}

/** The stricter of two, rule by rule. */
export const stricter = (a: SafetyRules, b: SafetyRules): SafetyRules => ({
  twoPersons: a.twoPersons || b.twoPersons,
  gateHours: Math.min(a.gateHours, b.gateHours),
  leastWaitMin: Math.max(a.leastWaitMin, b.leastWaitMin),
  deadV: Math.min(a.deadV, b.deadV),
});

/**
 * The rules of a lock-out: those it was begun under, and of every later version what is stricter. A looser one is for lock-outs begun
 * after it and judges nothing again.
 * @param begunUnder the version in force when it was begun; null where nobody wrote it down: then all there ever were
 */
export async function rulesOf(
  store: Store,
  begunUnder: number | null,
  tx?: Transaction,
): Promise<SafetyRules> {
  const versions = await versionsFrom(store, begunUnder ?? 1, tx);
  return versions.map((v): SafetyRules => v).reduce(stricter);
}

/** The rules in force as a lock-out was begun, whatever was signed since: what a proof of then was made under. */
export async function rulesThen(
  store: Store,
  begunUnder: number | null,
  tx?: Transaction,
): Promise<SafetyRules> {
  const versions = await versionsFrom(store, begunUnder ?? 1, tx);
  return begunUnder === null || versions[0]!.version !== begunUnder
    ? versions.map((v): SafetyRules => v).reduce(stricter)
    : versions[0]!;
}

export const sameRules = (a: SafetyRules, b: SafetyRules): boolean =>
  a.twoPersons === b.twoPersons &&
  a.gateHours === b.gateHours &&
  a.leastWaitMin === b.leastWaitMin &&
  a.deadV === b.deadV;

/** Adds a version, signed by whoever does it. @returns its number */
export async function signRules(store: Store, doing: Doing, rules: SafetyRules): Promise<number> {
  const [row] = await store.sequelize.query<{ version: number }>(
    `INSERT INTO safety_rules (version, two_persons, gate_hours, least_wait_min, dead_v, person_id)
     SELECT max(version) + 1, $1, $2, $3, $4, $5 FROM safety_rules RETURNING version`,
    {
      bind: [rules.twoPersons, rules.gateHours, rules.leastWaitMin, rules.deadV, doing.person.id],
      type: QueryTypes.SELECT,
      transaction: doing.tx,
    },
  );
  return row!.version;
}
