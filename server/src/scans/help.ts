import { NewDefinitionSchema, SaveHeadingSchema, type Definition } from '@cellmend/contract/scans';
import type { SignalDefinition } from '@cellmend/core/can';
import { createHash, randomUUID } from 'node:crypto';
import { audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import type { ReadingHelp } from './readFile';
import { runFor, type Asked } from './work';

const keyOf = (names: string[]): string =>
  createHash('sha256')
    .update(names.map((n) => n.trim().toLowerCase()).join('\n'))
    .digest('hex');

/** Headings met most recently are tried; a workshop has few kinds of files. */
const MOST_HEADINGS = 200;

const read = new Map<string, Promise<SignalDefinition>>();
/** A definition as it was read once; its file never changes. */
function kept(id: string, name: string, text: string): Promise<SignalDefinition> {
  let found = read.get(id);
  if (!found) {
    found = runFor('definition', { kind: 'definition', name, text });
    read.set(id, found);
    found.catch(() => read.delete(id));
  }
  return found;
}

export async function readingHelp(store: Store): Promise<ReadingHelp> {
  const [headings, definitions] = await Promise.all([
    store.models.Heading.findAll({ order: [['updatedAt', 'DESC']], limit: MOST_HEADINGS }),
    store.models.Definition.findAll({ order: [['name', 'ASC']] }),
  ]);
  return {
    known: headings.map((h) => ({ names: h.names, mapping: h.mapping })),
    definitions: await Promise.all(definitions.map((d) => kept(d.id, d.name, d.text))),
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

export interface NewDefinitionRead {
  name: string;
  text: string;
  parsed: SignalDefinition;
}
/** Reads a DBC file or diagnostic field definitions, in a thread. @throws InputProblem if it is neither, or has no end. */
export async function readNewDefinition(body: unknown, asked: Asked): Promise<NewDefinitionRead> {
  const { name, text } = NewDefinitionSchema.parse(body);
  return { name, text, parsed: await runFor('definition', { kind: 'definition', name, text }, asked) };
}

/** Keeps a definition that was read. */
export async function addDefinition(
  store: Store,
  doing: Doing,
  { name, text, parsed }: NewDefinitionRead,
): Promise<Definition> {
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

/** Takes a definition away; records that were read by it stay as they are. */
export async function removeDefinition(store: Store, doing: Doing, id: string): Promise<{ removed: string }> {
  const row = await store.models.Definition.findByPk(id, { transaction: doing.tx });
  if (!row) throw notFound('That definition');
  await row.destroy({ transaction: doing.tx });
  await audit(store, doing, null, 'definition removed', row.name, `${row.signals} signals`);
  doing.after.push(() => read.delete(id));
  return { removed: row.name };
}
