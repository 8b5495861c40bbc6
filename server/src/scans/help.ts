import {
  NewDefinitionSchema,
  readDefinition,
  SaveHeadingSchema,
  type Definition,
} from '@cellmend/contract/scans';
import type { SignalDefinition } from '@cellmend/core/can';
import { InputProblem } from '@cellmend/core/pack';
import { createHash, randomUUID } from 'node:crypto';
import { audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import type { ReadingHelp } from './readFile';

const keyOf = (names: string[]): string =>
  createHash('sha256')
    .update(names.map((n) => n.trim().toLowerCase()).join('\n'))
    .digest('hex');

/** Headings met most recently are tried; a workshop has few kinds of files. */
const MOST_HEADINGS = 200;

export async function readingHelp(store: Store): Promise<ReadingHelp> {
  const [headings, definitions] = await Promise.all([
    store.models.Heading.findAll({ order: [['updatedAt', 'DESC']], limit: MOST_HEADINGS }),
    store.models.Definition.findAll({ order: [['name', 'ASC']] }),
  ]);
  return {
    known: headings.map((h) => ({ names: h.names, mapping: h.mapping })),
    definitions: definitions.map((d) => readDefinition(d.name, d.text)),
  };
}

/** Remembers what the columns of a heading stand for; the newest word counts. */
export async function saveHeading(store: Store, doing: Doing, body: unknown): Promise<{ key: string }> {
  const { names, mapping } = SaveHeadingSchema.parse(body);
  const key = keyOf(names);
  await store.models.Heading.upsert(
    { key, names, mapping, personId: doing.person.id, updatedAt: new Date() },
    { transaction: doing.tx },
  );
  await audit(store, doing, null, 'columns named', names.slice(0, 4).join(', '), `${names.length} columns`);
  return { key };
}

const signalCount = (d: SignalDefinition): number =>
  d.kind === 'dbc'
    ? d.messages.reduce((n, m) => n + m.signals.length, 0)
    : d.file.records.reduce((n, r) => n + r.fields.reduce((k, f) => k + (f.repeat ?? 1), 0), 0);

export async function listDefinitions(store: Store): Promise<Definition[]> {
  const rows = await store.models.Definition.findAll({ order: [['name', 'ASC']] });
  const people = new Map(
    (await store.models.Person.findAll({ attributes: ['id', 'name'] })).map((p) => [p.id, p.name]),
  );
  return rows.map((r) => ({
    id: r.id,
    name: r.name,
    kind: r.kind,
    signals: r.signals,
    addedBy: people.get(r.personId) ?? 'someone',
  }));
}

/** Keeps a DBC file or diagnostic field definitions. @throws InputProblem if it is neither. */
export async function addDefinition(store: Store, doing: Doing, body: unknown): Promise<Definition> {
  const { name, text } = NewDefinitionSchema.parse(body);
  let parsed: SignalDefinition;
  try {
    parsed = readDefinition(name, text);
  } catch (e) {
    if (e instanceof SyntaxError)
      throw new InputProblem(
        'definition',
        'The file begins like JSON but is not.',
        name,
        'A DBC file, or JSON.',
      );
    throw e;
  }
  if (await store.models.Definition.findOne({ where: { name }, transaction: doing.tx }))
    throw new Refusal('conflict', 'Name taken', `There is a definition ${name} already.`, {
      accepted: 'Another name, or the one that is here.',
    });
  const row = await store.models.Definition.create(
    {
      id: randomUUID(),
      name,
      kind: parsed.kind,
      text,
      signals: signalCount(parsed),
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, null, 'definition added', name, `${row.signals} signals`);
  return { id: row.id, name, kind: row.kind, signals: row.signals, addedBy: doing.person.name };
}
