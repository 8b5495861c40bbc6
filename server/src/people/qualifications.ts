import type { PersonRow } from '../db/rows';
import { audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';

/** A level as it is given, with the certificate behind it. */
export interface Qualification {
  level: number;
  until: string | null;
  issuer: string;
  number: string;
}
export const NO_QUALIFICATION: Qualification = { level: 0, until: null, issuer: '', number: '' };

export const qualificationOf = (row: PersonRow): Qualification => ({
  level: row.hvLevel,
  until: row.hvUntil,
  issuer: row.hvIssuer,
  number: row.hvNumber,
});

const today = (): string => new Date().toISOString().slice(0, 10);
/** Whether a level, as it stands today, is at least so high. */
const holds = (row: PersonRow, level: number): boolean =>
  !row.endedAt && row.hvLevel >= level && row.hvUntil !== null && row.hvUntil >= today();

/** More than somebody had, or for longer: that is granted; less is taken away. */
const isMore = (now: Qualification, then: Qualification): boolean =>
  now.level > then.level || (now.level > 0 && (now.until ?? '') > (then.until ?? ''));

function mustHaveCertificate({ level, until, issuer, number }: Qualification): void {
  if (level === 0) return;
  const fields = [
    ...(until === null ? [{ field: 'hvUntil', message: 'The last day of the certificate.' }] : []),
    ...(issuer.trim() === '' ? [{ field: 'hvIssuer', message: 'Who issued the certificate.' }] : []),
    ...(number.trim() === '' ? [{ field: 'hvNumber', message: 'The number of the certificate.' }] : []),
  ];
  if (fields.length > 0)
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      'A high-voltage level is entered with its certificate: issuer, number and last day.',
      { fields },
    );
}

function mustMayGrant(by: PersonRow, to: PersonRow, level: number): void {
  if (by.id === to.id)
    throw new Refusal('notAllowed', 'Not by oneself', 'Nobody grants themselves a high-voltage level.', {
      accepted: 'Another lead who holds at least that level.',
    });
  if (!holds(by, level))
    throw new Refusal(
      'notAllowed',
      'May not grant it',
      `${by.name} does not hold level ${level} today and cannot grant it.`,
      { accepted: `A lead whose own level ${level} or higher is valid.` },
    );
}

/**
 * Writes a qualification down: a row of the chained record, and what the person's own row says from now on.
 * @param by who grants it; null for what somebody declares of themselves
 */
async function keep(
  store: Store,
  doing: Doing,
  row: PersonRow,
  q: Qualification,
  by: PersonRow | null,
): Promise<void> {
  await store.sequelize.query(
    'INSERT INTO qualifications (person_id, level, until, issuer, number, granted_by) VALUES ($1, $2, $3, $4, $5, $6)',
    { bind: [row.id, q.level, q.until, q.issuer, q.number, by?.id ?? null], transaction: doing.tx },
  );
  await row.update(
    {
      hvLevel: q.level,
      hvUntil: q.until,
      hvIssuer: q.issuer,
      hvNumber: q.number,
      hvSelfDeclared: by === null && q.level > 0,
    },
    { transaction: doing.tx },
  );
  const says = q.level === 0 ? 'none' : `level ${q.level} until ${q.until}, ${q.issuer} ${q.number}`;
  await audit(
    store,
    doing,
    null,
    by ? 'high-voltage level granted' : 'high-voltage level self-declared',
    row.name,
    says,
  );
}

/** What the first lead of a workshop says of themselves: it stands as self-declared until somebody countersigns. */
export async function declareOwn(
  store: Store,
  doing: Doing,
  row: PersonRow,
  q: Qualification,
): Promise<void> {
  if (q.level > 0) await keep(store, doing, row, q, null);
}

/**
 * Changes what somebody is qualified for. More, or for longer, is granted by somebody else who holds at least that level, with the
 * certificate; less any lead may write down.
 * @throws 403, 400
 */
export async function changeQualification(
  store: Store,
  doing: Doing,
  row: PersonRow,
  q: Qualification,
): Promise<void> {
  const then = qualificationOf(row);
  if (JSON.stringify(q) === JSON.stringify(then)) return;
  if (isMore(q, then)) {
    mustMayGrant(doing.person, row, q.level);
    mustHaveCertificate(q);
    return keep(store, doing, row, q, doing.person);
  }
  // What is only described otherwise, or taken away, stays as much or as little declared as it was.
  return keep(store, doing, row, q, row.hvSelfDeclared || doing.person.id === row.id ? null : doing.person);
}

/** Somebody else who holds at least that level has seen the certificate of whoever declared it of themselves. @throws 403, 409 */
export async function countersign(
  store: Store,
  doing: Doing,
  row: PersonRow,
  certificate: Pick<Qualification, 'issuer' | 'number'>,
): Promise<void> {
  if (!row.hvSelfDeclared)
    throw new Refusal(
      'conflict',
      'Nothing to countersign',
      `${row.name}’s level was granted by somebody else.`,
    );
  mustMayGrant(doing.person, row, row.hvLevel);
  const q = { ...qualificationOf(row), ...certificate };
  mustHaveCertificate(q);
  await keep(store, doing, row, q, doing.person);
}
