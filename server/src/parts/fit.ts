import { FitPartSchema, SalvageSchema, type PartFacts, type StockPart } from '@cellmend/contract/stock';
import { mayGoIn, needAt } from '@cellmend/core/match';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import type { Transaction } from 'sequelize';
import type { PartRow } from '../db/rows';
import { bodyIn, currentDecisions } from '../decisions/current';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { findJob, type FoundJob } from '../jobs/find';
import { refreshNeed } from '../jobs/need';
import { requireGate } from '../safety/gate';
import { mustMayGoTo } from './harm';
import { lockPart, makePart, move } from './service';
import { viewParts } from './view';

/** The module that a place of the profile names; null for a board, a fuse or anything else. */
const moduleAt = (profile: PackProfile, place: string) =>
  normalisePack(profile).modules.find((m) => m.id === place) ?? null;

/** What is known of the module a pack came with. */
function factsOfPlace(found: FoundJob, place: string): PartFacts {
  const { profile, pack } = found;
  const module = moduleAt(profile, place);
  return {
    ...(module ? { chemistry: profile.chemistry, groupCount: module.groupIndices.length } : {}),
    ...(profile.moduleRevision ? { revision: profile.moduleRevision } : {}),
    ...(module ? profile.moduleLook : {}),
    origin: `${place} of ${pack.label}, ${profile.name}`.slice(0, 300),
  };
}

/** The part that stands at a place of the pack now, made from the pack's own if it is the one it came with. */
async function partAt(
  store: Store,
  doing: Doing,
  found: FoundJob,
  place: string,
  kind: PartRow['kind'],
): Promise<PartRow | null> {
  const { pack } = found;
  const standing = await currentAt(store, pack.id, place, doing.tx);
  if (standing) return standing;
  // It has been taken out already, and nothing was put in since.
  if (await store.models.Placement.findOne({ where: { packId: pack.id, place }, transaction: doing.tx }))
    return null;
  const part = await makePart(
    store,
    doing,
    kind,
    `${pack.label}-${place}`.slice(0, 40),
    factsOfPlace(found, place),
  );
  await move(store, doing, part.id, { kind: 'pack', packId: pack.id, place, at: pack.createdAt });
  return part;
}
async function currentAt(
  store: Store,
  packId: string,
  place: string,
  tx: Transaction,
): Promise<PartRow | null> {
  const rows = await store.sequelize.query(
    `SELECT p.* FROM parts p JOIN current_placements c ON c.part_id = p.id WHERE c.kind = 'pack' AND c.pack_id = :packId AND c.place = :place`,
    { replacements: { packId, place }, model: store.models.Part, mapToModel: true, transaction: tx },
  );
  return rows[0] ?? null;
}

/** A part goes in behind the gate, unless somebody signed that the work inside was done elsewhere. */
async function mayFit(store: Store, doing: Doing, found: FoundJob): Promise<void> {
  const list = bodyIn(await currentDecisions(store, found.job.id, doing.tx), 'measures');
  if (list?.elsewhere) return;
  await requireGate(store, found.job.id, found.profile, 'Fitting a part', doing.person, doing.tx);
}

/**
 * A module that can lie at a place. One that differs from the pack's own goes in where a lead says why.
 * @returns what differs and why it goes in all the same; empty where nothing does
 * @throws 422 for one that cannot, and for one that differs where nobody answers for it
 */
async function mustBelong(
  store: Store,
  doing: Doing,
  { profile }: FoundJob,
  partId: string,
  { place, exception }: { place: string; exception: string },
): Promise<string> {
  const [part] = await viewParts(store, [partId], doing.tx);
  const { cannot, deviates } = mayGoIn(part!, needAt(normalisePack(profile), place)!);
  if (cannot.length > 0)
    throw new Refusal(
      'notPossible',
      'Does not belong there',
      `${part!.label} at ${place}: ${cannot.join('; ')}.`,
      {
        accepted: `A module that can lie at ${place}.`,
      },
    );
  if (deviates.length === 0) return '';
  if (exception.length < 3 || doing.person.role !== 'lead')
    throw new Refusal(
      'notPossible',
      'Differs from the pack’s own modules',
      `${part!.label} at ${place}: ${deviates.join('; ')}.`,
      {
        type: 'urn:cellmend:deviates',
        accepted:
          'A module of the same kind, or a lead who says why it is fitted all the same: the sheet prints it.',
      },
    );
  return `${deviates.join('; ')}: ${exception}`;
}

/** Puts a part into the pack of a job. What stood there goes where it is said to go. */
export async function fitPart(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<{ place: string; in: string; out: string | null }> {
  const input = FitPartSchema.parse(body);
  const found = await findJob(store, number, doing.tx);
  const { job, pack, profile } = found;
  await mayFit(store, doing, found);
  await store.models.Pack.findByPk(pack.id, { transaction: doing.tx, lock: doing.tx.LOCK.NO_KEY_UPDATE });
  const { part, at } = await lockPart(store, doing.tx, input.partId);
  if (!['shelf', 'bench'].includes(at.kind))
    throw new Refusal(
      'conflict',
      'Not at hand',
      `${part.label} is ${at.kind === 'pack' ? 'in a pack' : at.kind}.`,
      {
        accepted: 'A part on the shelf or on the bench.',
      },
    );
  const held = await store.models.Reservation.findOne({
    where: { partId: part.id, endedAt: null },
    transaction: doing.tx,
  });
  if (held && held.jobId !== job.id)
    throw new Refusal('conflict', 'It is reserved', `${part.label} is reserved for another job.`);
  const module = moduleAt(profile, input.place);
  if (module && part.kind !== 'module')
    throw new Refusal(
      'notPossible',
      'Does not belong there',
      `${input.place} is a module; ${part.label} is a ${part.kind}.`,
    );
  const differs = module ? await mustBelong(store, doing, found, part.id, input) : '';
  const old = await partAt(store, doing, found, input.place, module ? 'module' : part.kind);
  if (old && !input.out)
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      `Where does ${old.label} go, which stands at ${input.place}?`,
      {
        fields: [
          { field: 'out', message: 'Shelf, bench, quarantine; or scrapped, returned or sold with proof.' },
        ],
      },
    );
  if (old && input.out && module) await mustMayGoTo(store, found, input.place, input.out.to, doing.tx);
  if (old && input.out)
    await move(store, doing, old.id, {
      kind: input.out.to,
      jobId: job.id,
      reason: input.out.reason,
      proof: input.out.proof,
    });
  await move(store, doing, part.id, {
    kind: 'pack',
    packId: pack.id,
    place: input.place,
    jobId: job.id,
    reason: differs,
  });
  if (held) await held.update({ endedAt: new Date() }, { transaction: doing.tx });
  await audit(
    store,
    doing,
    job.id,
    'part fitted',
    `${part.label} at ${input.place}`,
    [old ? `${old.label} ${input.out!.to}` : '', differs].filter(Boolean).join('; '),
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'parts', job.number);
  await announce(store, doing.tx, 'stock', null);
  return { place: input.place, in: part.label, out: old?.label ?? null };
}

/** Takes modules out of the pack of a job: they become stock, with everything that was measured of them there. */
export async function salvage(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<StockPart[]> {
  const input = SalvageSchema.parse(body);
  const found = await findJob(store, number, doing.tx);
  const { job, pack, profile } = found;
  // What this workshop takes out it takes out behind its own gate, whoever did the rest.
  await requireGate(store, job.id, profile, 'Taking a module out', doing.person, doing.tx);
  await store.models.Pack.findByPk(pack.id, { transaction: doing.tx, lock: doing.tx.LOCK.NO_KEY_UPDATE });
  const places = [...new Set(input.places)];
  const ids: string[] = [];
  for (const place of places) {
    if (!moduleAt(profile, place)) throw notFound(`A module ${place} of this pack`);
    const part = await partAt(store, doing, found, place, 'module');
    if (!part)
      throw new Refusal('conflict', 'Nothing there', `Nothing stands at ${place}: it was taken out already.`);
    await mustMayGoTo(store, found, place, input.to, doing.tx);
    await move(store, doing, part.id, {
      kind: input.to,
      jobId: job.id,
      reason: input.reason,
      proof: input.proof,
    });
    ids.push(part.id);
  }
  await audit(
    store,
    doing,
    job.id,
    `taken out: ${input.to}`,
    places.join(', '),
    [input.reason, input.proof].filter(Boolean).join('; '),
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'parts', job.number);
  await announce(store, doing.tx, 'stock', null);
  return viewParts(store, ids, doing.tx);
}
