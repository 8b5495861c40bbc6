import { format, parseISO, set } from 'date-fns';
import {
  CorrectPartSchema,
  MeasurePartSchema,
  NewPartsSchema,
  PartTableSchema,
  PlacePartSchema,
  type PartFacts,
  type PartFigures,
  type PartHistory,
  type PartKind,
  type PlacementKind,
  type StockPart,
} from '@cellmend/contract/stock';
import { movedText } from '@cellmend/core/balance';
import { readShelfTable } from '@cellmend/core/match';
import { randomUUID } from 'node:crypto';
import { QueryTypes, type Transaction } from 'sequelize';
import { z } from 'zod';
import type { PartRow, PlacementRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { keepObservation } from '../records/observe';
import type { ReadingData } from '../records/readings';
import { partHistory, viewParts } from './view';

/** The newest placement of a part; the part is locked, so that nobody moves it meanwhile. */
export async function lockPart(
  store: Store,
  tx: Transaction,
  id: string,
): Promise<{ part: PartRow; at: PlacementRow }> {
  const part = await store.models.Part.findByPk(id, { transaction: tx, lock: tx.LOCK.NO_KEY_UPDATE });
  if (!part) throw notFound('That part');
  const at = await store.models.Placement.findOne({
    where: { partId: id },
    order: [['seq', 'DESC']],
    transaction: tx,
  });
  return { part, at: at! };
}

/** The next label of parts that nobody gave one. */
async function nextLabel(store: Store, tx: Transaction): Promise<string> {
  for (;;) {
    const [row] = await store.sequelize.query<{ n: string }>("SELECT nextval('part_numbers') AS n", {
      type: QueryTypes.SELECT,
      transaction: tx,
    });
    const label = `S-${row!.n}`;
    // Somebody may have written that one on a part by hand.
    if (!(await store.models.Part.findOne({ where: { label }, transaction: tx }))) return label;
  }
}

export interface Move {
  kind: PlacementKind;
  packId?: string;
  place?: string;
  jobId?: string | null;
  reason?: string;
  proof?: string;
  at?: Date;
}
/** Says where a part is from now on. */
export const move = (store: Store, doing: Doing, partId: string, to: Move): Promise<PlacementRow> =>
  store.models.Placement.create(
    {
      id: randomUUID(),
      partId,
      kind: to.kind,
      packId: to.packId ?? null,
      place: to.place ?? '',
      jobId: to.jobId ?? null,
      reason: to.reason ?? '',
      proof: to.proof ?? '',
      personId: doing.person.id,
      ...(to.at ? { at: to.at } : {}),
    },
    { transaction: doing.tx },
  );

const KIND_OF: Record<keyof Omit<PartFigures, 'temperatureC'>, [string, number]> = {
  capacityAh: ['capacity', 1],
  resistanceMilliohm: ['resistance', 1e-3],
  restVoltageV: ['voltage', 1],
  insulationOhm: ['insulation', 1],
};

/** A day as a moment: noon of it, or now if it is today. @throws 400 for a day to come */
function momentOf(day: string): Date {
  const today = format(new Date(), 'yyyy-MM-dd');
  if (day > today)
    throw new Refusal('unacceptable', 'Cannot be accepted', 'That day is still to come.', {
      fields: [{ field: 'measuredOn', message: 'The day of measuring: today or before.' }],
    });
  return day === today ? new Date() : set(parseISO(day), { hours: 12 });
}

/** Keeps what was measured of a part by itself, each figure an observation of its own. */
async function keepFigures(
  store: Store,
  doing: Doing,
  partId: string,
  figures: Partial<PartFigures>,
  /** What is said beside its rest voltage. */
  besideV = '',
  /** The day of measuring; null where nobody knows, left out for now. */
  measuredOn?: string | null,
): Promise<number> {
  const observedAt = measuredOn ? momentOf(measuredOn) : undefined;
  let kept = 0;
  const { temperatureC, ...measured } = figures;
  for (const [field, [kind, factor]] of Object.entries(KIND_OF)) {
    const value = measured[field as keyof typeof KIND_OF];
    if (value === null || value === undefined) continue;
    kept++;
    await keepObservation(store, doing, {
      jobId: null,
      partId,
      topic: 'reading',
      kind,
      data: {
        value: value * factor,
        text: kind === 'voltage' ? besideV : '',
        temperatureC: temperatureC ?? null,
        ...(measuredOn === null ? { undated: true as const } : {}),
      } satisfies ReadingData,
      ...(observedAt ? { observedAt } : {}),
      subjectKind: 'part',
    });
  }
  return kept;
}

/** Makes a part with its first facts. @throws 409 for a label that is taken */
export async function makePart(
  store: Store,
  doing: Doing,
  kind: PartKind,
  label: string,
  facts: PartFacts,
): Promise<PartRow> {
  const name = label || (await nextLabel(store, doing.tx));
  if (await store.models.Part.findOne({ where: { label: name }, transaction: doing.tx }))
    throw new Refusal('conflict', 'Label is taken', `There is a part ${name} already.`, {
      fields: [{ field: 'label', message: 'Another label, or none: it gets the next one.' }],
    });
  const part = await store.models.Part.create(
    { id: randomUUID(), label: name, kind },
    { transaction: doing.tx },
  );
  await store.models.PartFacts.create(
    { partId: part.id, version: 1, facts, personId: doing.person.id },
    { transaction: doing.tx },
  );
  return part;
}

/** Takes parts in, all or none. */
async function takeIn(
  store: Store,
  doing: Doing,
  parts: z.output<typeof NewPartsSchema>['parts'],
): Promise<StockPart[]> {
  const ids: string[] = [];
  for (const { kind, label, facts, figures, measuredOn } of parts) {
    const part = await makePart(store, doing, kind, label, facts);
    await move(store, doing, part.id, { kind: 'shelf' });
    await keepFigures(store, doing, part.id, figures, '', measuredOn);
    await audit(store, doing, null, 'part taken in', part.label, facts.origin);
    ids.push(part.id);
  }
  await announce(store, doing.tx, 'stock', null);
  return viewParts(store, ids, doing.tx);
}
export const addParts = (store: Store, doing: Doing, body: unknown): Promise<StockPart[]> =>
  takeIn(store, doing, NewPartsSchema.parse(body).parts);

/** The same from a table as a shelf list is kept. @throws InputProblem that names row and column */
export const addTable = (store: Store, doing: Doing, body: unknown): Promise<StockPart[]> => {
  const rows = readShelfTable(PartTableSchema.parse(body).text);
  return takeIn(store, doing, NewPartsSchema.parse({ parts: rows }).parts);
};

/** What a part is, corrected: a new version with a reason; what was said before stays. */
export async function correctPart(store: Store, doing: Doing, id: string, body: unknown): Promise<StockPart> {
  const { facts, reason } = CorrectPartSchema.parse(body);
  const { part } = await lockPart(store, doing.tx, id);
  const version = await store.models.PartFacts.count({ where: { partId: id }, transaction: doing.tx });
  await store.models.PartFacts.create(
    { partId: id, version: version + 1, facts, reason, personId: doing.person.id },
    { transaction: doing.tx },
  );
  await audit(store, doing, null, 'part corrected', part.label, reason);
  await announce(store, doing.tx, 'stock', null);
  return (await viewParts(store, [id], doing.tx))[0]!;
}

export async function measurePart(store: Store, doing: Doing, id: string, body: unknown): Promise<StockPart> {
  const { movedAh, ...figures } = MeasurePartSchema.parse(body);
  const { part } = await lockPart(store, doing.tx, id);
  if ((await keepFigures(store, doing, id, figures, movedAh === null ? '' : movedText(movedAh))) === 0)
    throw new Refusal('unacceptable', 'Cannot be accepted', 'No figure is given.', {
      accepted: 'Capacity, resistance, rest voltage or insulation.',
    });
  await audit(store, doing, null, 'part measured', part.label, JSON.stringify(figures));
  await announce(store, doing.tx, 'stock', null);
  return (await viewParts(store, [id], doing.tx))[0]!;
}

/** Moves a part within the workshop, or lets it leave with proof. What stands in a pack is taken out in its job. */
export async function placePart(store: Store, doing: Doing, id: string, body: unknown): Promise<PartHistory> {
  const { to, reason, proof } = PlacePartSchema.parse(body);
  const { part, at } = await lockPart(store, doing.tx, id);
  if (at.kind === 'pack')
    throw new Refusal(
      'conflict',
      'It stands in a pack',
      `${part.label} is in a pack: it is taken out in that job.`,
    );
  if (['scrapped', 'returned', 'sold'].includes(at.kind))
    throw new Refusal('conflict', 'It has left', `${part.label} was ${at.kind}: ${at.reason}.`);
  if (at.kind === 'quarantine' && (to === 'shelf' || to === 'bench') && reason.length < 3)
    throw new Refusal('unacceptable', 'Cannot be accepted', `${part.label} stands in quarantine.`, {
      fields: [{ field: 'reason', message: 'What was measured and looked at since, that lets it out.' }],
    });
  const held = await store.models.Reservation.findOne({
    where: { partId: id, endedAt: null },
    transaction: doing.tx,
  });
  if (held && to !== 'shelf' && to !== 'bench')
    throw new Refusal(
      'conflict',
      'It is reserved',
      `${part.label} is reserved for a job. Choose another donor there first.`,
    );
  await move(store, doing, id, { kind: to, reason, proof, jobId: null });
  await audit(store, doing, null, `part: ${to}`, part.label, [reason, proof].filter(Boolean).join('; '));
  await announce(store, doing.tx, 'stock', null);
  return partHistory(store, id, doing.tx);
}
