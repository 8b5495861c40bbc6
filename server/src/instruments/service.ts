import {
  NewInstrumentSchema,
  onlyReads,
  OutputSeenSchema,
  type Instrument,
} from '@cellmend/contract/instruments';
import { openAny } from '@cellmend/devices/drivers';
import { randomUUID } from 'node:crypto';
import { Op } from 'sequelize';
import type { InstrumentRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';

/** Hosts an instrument may be on: this machine, or those named when the server is started. */
export function allowedHost(host: string): void {
  const allowed = ['127.0.0.1', 'localhost', '::1', ...(process.env.CELLMEND_GATEWAYS ?? '').split(/[\s,]+/)];
  if (!allowed.includes(host))
    throw new Refusal('notAllowed', 'Not allowed', `${host} is not an instrument of this workshop.`, {
      accepted: '127.0.0.1, or a host named in CELLMEND_GATEWAYS when the server is started.',
    });
}

export async function listInstruments(store: Store): Promise<Instrument[]> {
  const rows = await store.models.Instrument.findAll({
    where: { retiredAt: null },
    order: [['name', 'ASC']],
  });
  const runs = await store.models.InstrumentRun.findAll({
    where: { [Op.or]: [{ state: 'running' }, { output: 'unknown' }] },
    order: [['startedAt', 'ASC']],
  });
  const jobs = new Map(
    (await store.models.Job.findAll({ where: { id: runs.map((r) => r.jobId) } })).map((j) => [
      j.id,
      j.number,
    ]),
  );
  const busy = new Map<string, NonNullable<Instrument['busyWith']>>(
    rows
      .filter((i) => i.unknownSince !== null)
      .map((i) => [i.id, { jobNumber: null, output: 'unknown', why: i.unknownWhy }]),
  );
  for (const r of runs)
    busy.set(r.instrumentId, { jobNumber: jobs.get(r.jobId) ?? null, output: r.output, why: r.why });
  return rows.map((r) => ({
    id: r.id,
    name: r.name,
    kind: r.kind,
    driver: r.driver,
    host: r.host,
    port: r.port,
    serial: r.serial,
    mostV: r.mostV,
    mostA: r.mostA,
    ohm: r.ohm,
    readsWith: r.readsWith,
    calibratedUntil: r.calibratedUntil,
    simulated: r.simulated,
    identity: r.identity,
    lastSeen: r.lastSeen?.toISOString() ?? null,
    busyWith: busy.get(r.id) ?? null,
  }));
}

export async function findInstrument(store: Store, id: string): Promise<InstrumentRow> {
  const row = await store.models.Instrument.findOne({ where: { id, retiredAt: null } });
  if (!row) throw notFound('That instrument');
  return row;
}

export async function addInstrument(store: Store, doing: Doing, body: unknown): Promise<{ id: string }> {
  const input = NewInstrumentSchema.parse(body);
  allowedHost(input.host);
  if (await store.models.Instrument.findOne({ where: { name: input.name }, transaction: doing.tx }))
    throw new Refusal('conflict', 'Name taken', `There is a ${input.name} already.`, {
      fields: [{ field: 'name', message: 'A name that no instrument here has.' }],
    });
  if (input.readsWith) {
    const reader = await findInstrument(store, input.readsWith);
    if (!onlyReads(reader.kind) || (input.kind === 'relay' && reader.kind !== 'logger'))
      throw new Refusal('notPossible', 'Not that one', `${reader.name} cannot read for it.`, {
        fields: [
          {
            field: 'readsWith',
            message: input.kind === 'relay' ? 'A logger.' : 'A thermometer or a logger.',
          },
        ],
      });
  }
  const row = await store.models.Instrument.create({ id: randomUUID(), ...input }, { transaction: doing.tx });
  await audit(store, doing, null, 'instrument added', row.name, `${row.driver} at ${row.host}:${row.port}`);
  await announce(store, doing.tx, 'instruments', null);
  return { id: row.id };
}

/** Asks an instrument who it is; nothing is switched on. */
export async function lookFor(store: Store, id: string): Promise<{ identity: string; watchdog: boolean }> {
  const row = await findInstrument(store, id);
  allowedHost(row.host);
  const device = await openAny(row.driver, row.host, row.port);
  try {
    const watchdog = await device.watchdog(2).catch(() => false);
    await row.update({ lastSeen: new Date(), identity: device.identity.slice(0, 200) });
    return { identity: device.identity, watchdog };
  } finally {
    device.close();
  }
}

export async function retireInstrument(store: Store, doing: Doing, id: string): Promise<{ id: string }> {
  const row = await store.models.Instrument.findOne({
    where: { id, retiredAt: null },
    transaction: doing.tx,
  });
  if (!row) throw notFound('That instrument');
  const running = await store.models.InstrumentRun.findOne({
    where: { instrumentId: id, state: 'running' },
    transaction: doing.tx,
  });
  if (running) throw new Refusal('conflict', 'In use', `${row.name} is running a test now.`);
  const needed = await store.models.Instrument.findOne({
    where: { readsWith: id, retiredAt: null },
    transaction: doing.tx,
  });
  if (needed) throw new Refusal('conflict', 'In use', `${row.name} reads for ${needed.name}.`);
  await row.update(
    { retiredAt: new Date(), name: `${row.name} (${row.id.slice(0, 8)})` },
    { transaction: doing.tx },
  );
  await audit(store, doing, null, 'instrument taken out of use', row.name, '');
  await announce(store, doing.tx, 'instruments', null);
  return { id };
}

/** Somebody went and looked: an output that could not be reached is off. */
export async function outputSeenOff(
  store: Store,
  doing: Doing,
  id: string,
  body: unknown,
): Promise<{ id: string }> {
  const { note } = OutputSeenSchema.parse(body);
  const row = await store.models.Instrument.findByPk(id, { transaction: doing.tx });
  if (!row) throw notFound('That instrument');
  const unknown = { instrumentId: id, output: 'unknown' };
  const left = await store.models.InstrumentRun.findAll({ where: unknown, transaction: doing.tx });
  await store.models.InstrumentRun.update({ output: 'off' }, { where: unknown, transaction: doing.tx });
  // Who looked stands in the timeline of every job whose run it was.
  for (const jobId of new Set(left.map((r) => r.jobId)))
    await audit(store, doing, jobId, 'output seen off', row.name, note);
  await row.update({ unknownSince: null, unknownWhy: '' }, { transaction: doing.tx });
  await audit(store, doing, null, 'output seen off', row.name, note);
  await announce(store, doing.tx, 'instruments', null);
  return { id };
}
