import {
  CountersignSchema,
  UnitsSchema,
  USUAL_UNITS,
  type EditPersonSchema,
  type NewPasswordSchema,
  type FirstLeadSchema,
  type NewPerson,
  type Person,
  type Session,
  type Units,
} from '@cellmend/contract/people';
import { hash, verify } from '@node-rs/argon2';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { z } from 'zod';
import type { PersonRow } from '../db/rows';
import { changeQualification, countersign, declareOwn, qualificationOf } from './qualifications';
import { endSessions } from './sessions';
import { readSetting, writeSetting } from '../domain/settings';
import { audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';

/** OWASP's advice for Argon2id: 19 MiB, two passes, one lane. The package's default algorithm is Argon2id. */
const ARGON2ID = { memoryCost: 19456, timeCost: 2, parallelism: 1 };
export const hashPassword = (password: string): Promise<string> => hash(password, ARGON2ID);

/** A person as the page sees them, with what follows from the qualification today. */
export function viewPerson(row: PersonRow, today = new Date()): Person {
  const until = row.hvUntil;
  const expired = until !== null && until < today.toISOString().slice(0, 10);
  const hvReason = row.endedAt
    ? 'Works here no more.'
    : row.role === 'viewer'
      ? 'A viewer signs nothing.'
      : row.hvLevel < 2
        ? 'No high-voltage qualification of level 2 or above.'
        : until === null
          ? 'The qualification has no date.'
          : expired
            ? `The qualification ended on ${until}.`
            : '';
  return {
    id: row.id,
    name: row.name,
    role: row.role,
    hvLevel: row.hvLevel,
    hvUntil: until,
    hvIssuer: row.hvIssuer,
    hvNumber: row.hvNumber,
    hvSelfDeclared: row.hvSelfDeclared,
    gloveClass: row.gloveClass ?? null,
    gloveTested: row.gloveTested ?? null,
    active: row.endedAt === null || row.endedAt === undefined,
    mayWrite: row.role !== 'viewer' && !row.endedAt,
    maySignHv: hvReason === '',
    hvReason,
  };
}

export async function session(store: Store, person: PersonRow | undefined, demo: boolean): Promise<Session> {
  const count = await store.models.Person.count();
  const demoPeople =
    demo && !person && !(await hasRealLead(store))
      ? await store.models.Person.findAll({ where: { demo: true, endedAt: null }, order: [['name', 'ASC']] })
      : [];
  const named = await readSetting(store, 'workshop');
  return {
    person: person ? viewPerson(person) : null,
    demo,
    workshop: typeof named === 'string' ? named : 'The workshop',
    units: await unitsOf(store),
    firstLeadNeeded: count === 0,
    demoPeople: demoPeople.map((p) => viewPerson(p)),
  };
}

async function unitsOf(store: Store): Promise<Units> {
  const kept = await readSetting(store, 'units');
  return UnitsSchema.parse({ ...USUAL_UNITS, ...(kept as Partial<Units> | undefined) });
}

export async function saveUnits(store: Store, doing: Doing, body: unknown): Promise<Units> {
  const units = UnitsSchema.parse(body);
  await writeSetting(store, doing.tx, 'units', units);
  await audit(store, doing, null, 'units changed', '', JSON.stringify(units));
  return units;
}

/** A hash of nothing, so that an unknown name takes as long as a wrong password. */
const nobody = hashPassword(randomUUID());

export async function checkPassword(store: Store, name: string, password: string): Promise<PersonRow> {
  const row = await store.models.Person.findOne({ where: { name, elsewhere: null } });
  const right = await verify(row?.passwordHash ?? (await nobody), password).catch(() => false);
  if (!row || !right || row.endedAt)
    throw new Refusal('signedOut', 'Not signed in', 'Name and password do not belong together.');
  return row;
}

export async function addPerson(
  store: Store,
  input: NewPerson,
  tx: Transaction,
  by: PersonRow | null,
): Promise<Person> {
  if (await store.models.Person.findOne({ where: { name: input.name }, transaction: tx }))
    throw new Refusal('conflict', 'Name taken', `There is a ${input.name} already.`, {
      fields: [{ field: 'name', message: 'A name that nobody here has.' }],
    });
  const row = await store.models.Person.create(
    {
      id: randomUUID(),
      name: input.name,
      role: input.role,
      hvLevel: 0,
      hvUntil: null,
      gloveClass: input.gloveClass,
      gloveTested: input.gloveTested,
      passwordHash: await hashPassword(input.password),
    },
    { transaction: tx },
  );
  const doing = { tx, person: by ?? row, after: [] };
  await audit(store, doing, null, 'person added', row.name, row.role);
  const qualification = {
    level: input.hvLevel,
    until: input.hvUntil,
    issuer: input.hvIssuer,
    number: input.hvNumber,
  };
  if (by) await changeQualification(store, doing, row, qualification);
  else await declareOwn(store, doing, row, qualification);
  return viewPerson(row);
}

/** Whoever worked on a job elsewhere is a name in its record here, and never an account. @throws 422 */
function mustBeOfHere(row: PersonRow): void {
  if (row.elsewhere)
    throw new Refusal(
      'notPossible',
      'Not of this workshop',
      `${row.name} works elsewhere and has no account here.`,
      {
        accepted: 'A new person, if they work here now.',
      },
    );
}

export async function editPerson(
  store: Store,
  doing: Doing,
  id: string,
  change: z.infer<typeof EditPersonSchema>,
): Promise<Person> {
  // One change of people at a time: two leads cannot end each other at once.
  await store.sequelize.query('LOCK TABLE people IN SHARE ROW EXCLUSIVE MODE', { transaction: doing.tx });
  const row = await store.models.Person.findByPk(id, { transaction: doing.tx });
  if (!row) throw notFound('That person');
  mustBeOfHere(row);
  const { active, hvLevel, hvUntil, hvIssuer, hvNumber, ...facts } = change;
  await stillLead(store, doing);
  if (row.id === doing.person.id && active === false)
    throw new Refusal('unacceptable', 'Cannot be accepted', 'Nobody ends their own work here.');
  if (row.id === doing.person.id && change.role && change.role !== 'lead')
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      'A lead cannot take the lead role from themselves.',
    );
  const endedAt = active === undefined ? row.endedAt : active ? null : (row.endedAt ?? new Date());
  await row.update({ ...facts, endedAt }, { transaction: doing.tx });
  const before = qualificationOf(row);
  await changeQualification(store, doing, row, {
    level: hvLevel ?? before.level,
    until: hvUntil === undefined ? before.until : hvUntil,
    issuer: hvIssuer ?? before.issuer,
    number: hvNumber ?? before.number,
  });
  // What somebody may do is read anew with each request; who works here no more is signed out at once.
  if (active === false) await endSessions(store, doing, row.id);
  await audit(
    store,
    doing,
    null,
    'person changed',
    row.name,
    Object.entries(change)
      .map(([k, v]) => `${k} ${v}`)
      .join(', '),
  );
  return viewPerson(row);
}

/** Countersigns what somebody declared of themselves. */
export async function countersignPerson(
  store: Store,
  doing: Doing,
  id: string,
  body: unknown,
): Promise<Person> {
  const { hvIssuer, hvNumber } = CountersignSchema.parse(body);
  const row = await store.models.Person.findByPk(id, { transaction: doing.tx, lock: doing.tx.LOCK.UPDATE });
  if (!row) throw notFound('That person');
  mustBeOfHere(row);
  await countersign(store, doing, row, { issuer: hvIssuer, number: hvNumber });
  return viewPerson(row);
}

export const listPeople = async (store: Store): Promise<Person[]> =>
  (await store.models.Person.findAll({ where: { elsewhere: null }, order: [['name', 'ASC']] })).map((p) =>
    viewPerson(p),
  );

/** Once somebody real leads the workshop the demo's people sign in no more. */
const hasRealLead = async (store: Store): Promise<boolean> =>
  (await store.models.Person.count({ where: { role: 'lead', demo: false, endedAt: null } })) > 0;

export const findDemoPerson = async (store: Store, id: string): Promise<PersonRow | null> =>
  (await hasRealLead(store))
    ? null
    : store.models.Person.findOne({ where: { id, demo: true, endedAt: null } });

/** Whoever was lead when the request came may have ceased to be while it waited for another. */
async function stillLead(store: Store, doing: Doing): Promise<void> {
  const me = await store.models.Person.findByPk(doing.person.id, { transaction: doing.tx });
  if (!me || me.endedAt || me.role !== 'lead')
    throw new Refusal('notAllowed', 'Not allowed', 'This needs the role lead, which was taken meanwhile.');
}

/** A new password; whoever was signed in with the old one is signed out, but for who asks. */
export async function changePassword(
  store: Store,
  doing: Doing,
  id: string,
  { current, password }: z.infer<typeof NewPasswordSchema>,
  here: string,
): Promise<Person> {
  const own = id === doing.person.id;
  if (!own && doing.person.role !== 'lead')
    throw new Refusal('notAllowed', 'Not allowed', 'Another’s password is changed by a lead.');
  const row = await store.models.Person.findByPk(id, { transaction: doing.tx });
  if (!row) throw notFound('That person');
  mustBeOfHere(row);
  if (own && !(await verify(row.passwordHash, current ?? '').catch(() => false)))
    throw new Refusal('unacceptable', 'Cannot be accepted', 'That is not the present password.', {
      fields: [{ field: 'current', message: 'The present password.' }],
    });
  await row.update({ passwordHash: await hashPassword(password) }, { transaction: doing.tx });
  await audit(store, doing, null, 'password changed', row.name, own ? 'by themselves' : 'by a lead');
  await endSessions(store, doing, id, own ? here : '');
  return viewPerson(row);
}

/** The first person of a workshop is its lead, and names it. Of two at once one is refused. */
export const addFirstLead = (
  store: Store,
  { workshop, ...input }: z.infer<typeof FirstLeadSchema>,
): Promise<PersonRow> =>
  store.sequelize.transaction(async (tx) => {
    await store.sequelize.query('LOCK TABLE people IN EXCLUSIVE MODE', { transaction: tx });
    if ((await store.models.Person.count({ transaction: tx })) > 0)
      throw new Refusal('conflict', 'Done already', 'This workshop has people; a lead adds more.');
    const made = await addPerson(store, { ...input, role: 'lead' }, tx, null);
    await writeSetting(store, tx, 'workshop', workshop);
    return (await store.models.Person.findByPk(made.id, { transaction: tx }))!;
  });
