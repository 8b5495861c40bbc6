import { NewInsulationSchema, StreamTestSchema, type InsulationEntry } from '@cellmend/contract/insulation';
import type { Finding } from '@cellmend/contract/records';
import {
  checkSeries,
  seriesQuery,
  USUAL_MODULE_OHM,
  type InsulationObservation,
  type SeriesPoint,
} from '@cellmend/core/insulation';
import { InputProblem, normalisePack, type Pack, type PackProfile } from '@cellmend/core/pack';
import { runInsulationTest, ScpiClient, SimulatedTester } from '@cellmend/devices/scpi';
import { randomUUID } from 'node:crypto';
import type { JobRow, ObservationRow } from '../db/models';
import { computeFinding } from '../findings/service';
import { announce, announceNow, audit, type Doing, type Store } from '../http/context';
import { HttpProblem, notFound } from '../http/problems';
import { refreshNeed } from '../jobs/need';
import { observationsOf, requireGate } from '../safety/gate';
import { moduleVoltages } from '../safety/service';

/** Observations that count: those that nothing superseded. */
const current = (rows: ObservationRow[]): ObservationRow[] => {
  const old = new Set(rows.map((r) => r.supersedes));
  return rows.filter((r) => !old.has(r.id));
};

export async function listInsulation(store: Store, jobId: string): Promise<InsulationEntry[]> {
  const rows = await observationsOf(store, jobId, 'insulation');
  const people = new Map(
    (await store.models.Person.findAll({ attributes: ['id', 'name'] })).map((p) => [p.id, p.name]),
  );
  const by = new Map(rows.filter((r) => r.supersedes).map((r) => [r.supersedes, r.id]));
  return rows.map((r) => ({
    id: r.id,
    observation: r.data as InsulationObservation,
    by: people.get(r.personId) ?? 'someone',
    at: r.recordedAt.toISOString(),
    supersededBy: by.get(r.id) ?? null,
    reason: r.reason,
  }));
}

/** Things that open the pack or put voltage on it wait for the gate. */
function needsGate(o: InsulationObservation): string | null {
  if (o.kind === 'tester') return 'An insulation test';
  if (o.kind === 'link' && o.open) return 'Pulling a link';
  return null;
}

function checkPlaces(o: InsulationObservation, pack: Pack): void {
  const known = (id: string): boolean => pack.modules.some((m) => m.id === id);
  const wrong =
    o.kind === 'seen' && !known(o.module)
      ? o.module
      : o.kind === 'tester' && o.tested.part === 'section'
        ? [o.tested.from, o.tested.to].find((id) => !known(id))
        : o.kind === 'link' && !(pack.profile.links ?? []).some((l) => l.id === o.link)
          ? o.link
          : undefined;
  if (wrong !== undefined)
    throw new HttpProblem(400, 'Cannot be accepted', `The pack has no ${wrong}.`, {
      fields: [
        {
          field: 'observation',
          message: `A module such as ${pack.modules[0]!.id}, or a link of the profile.`,
        },
      ],
    });
}

/** What a tester entry has to satisfy before it is stored. @throws InputProblem or 422 */
function checkTest(
  o: InsulationObservation,
  pack: Pack,
  packV: number,
  disconnected: boolean,
  confirmed: boolean,
): void {
  if (o.kind !== 'tester') return;
  if (!disconnected)
    throw new InputProblem(
      'management-connected',
      'The management unit is not said to be disconnected: a test voltage would destroy its boards.',
      'before the test voltage',
      'Sense and management plugs off, said so with the test.',
    );
  const p = pack.profile.insulation;
  const input = {
    setV: o.setV,
    points: o.points,
    temperatureC: o.temperatureC,
    modules: 1,
    moduleLeastOhm: p?.moduleLeastOhm ?? USUAL_MODULE_OHM,
    workingV: packV,
    mostV: p?.testVoltageMostV ?? 1000,
    mounted: o.mounted,
  };
  checkSeries(input);
  const query = seriesQuery(input);
  if (query !== '' && !confirmed)
    throw new InputProblem(
      'query',
      query,
      'the series',
      'The right figures, or the same again once they are confirmed.',
    );
}

/** Stores an observation and computes the finding anew, in one transaction. */
export async function addInsulation(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
  /** The gate held when the test began: a reading that was taken is not lost because somebody pressed Stop since. */
  gateHeld = false,
): Promise<Finding> {
  const input = NewInsulationSchema.parse(body);
  const { observation } = input;
  const pack = normalisePack(profile);
  checkPlaces(observation, pack);
  const volts = await moduleVoltages(store, job.id, pack, doing.tx);
  const what = gateHeld ? null : needsGate(observation);
  if (what) await requireGate(store, job.id, profile, what, doing.tx);
  checkTest(
    observation,
    pack,
    volts.moduleV.reduce((a, b) => a + b, 0),
    input.managementDisconnected,
    input.confirmed,
  );
  if (input.supersedes) {
    if (input.reason === '')
      throw new HttpProblem(400, 'Cannot be accepted', 'A correction says why.', {
        fields: [{ field: 'reason', message: 'A few words.' }],
      });
    const old = await store.models.Observation.findOne({
      where: { id: input.supersedes, jobId: job.id, topic: 'insulation' },
      transaction: doing.tx,
    });
    if (!old) throw notFound('The observation to be corrected');
    if (await store.models.Observation.findOne({ where: { supersedes: old.id }, transaction: doing.tx }))
      throw new HttpProblem(409, 'Corrected already', 'Somebody corrected this one already.');
  }
  await store.models.Observation.create(
    {
      id: randomUUID(),
      jobId: job.id,
      topic: 'insulation',
      kind: observation.kind,
      data: observation,
      personId: doing.person.id,
      supersedes: input.supersedes,
      reason: input.reason,
      recordedAt: new Date(),
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, job.id, 'insulation', observation.kind, say(observation));
  const rows = current(await observationsOf(store, job.id, 'insulation', doing.tx));
  const finding = await computeFinding(store, doing, job, profile, {
    topic: 'insulation',
    observationIds: rows.map((r) => r.id),
    spreadFindingId: volts.findingId,
  });
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'insulation', job.number);
  return finding;
}

function say(o: InsulationObservation): string {
  switch (o.kind) {
    case 'vehicle':
      return o.ohm !== null ? `${o.ohm} Ω shown` : `${o.signalV} V of signal`;
    case 'poles':
      return `− ${o.negativeV} V, + ${o.positiveV} V of ${o.packV} V`;
    case 'known-resistor':
      return `V1 ${o.v1} V, V2 ${o.v2} V, with ${o.r0Ohm} Ω ${o.v1WithR0} V`;
    case 'tester':
      return `${o.tested.part === 'section' ? `${o.tested.from} to ${o.tested.to}` : o.tested.part}, ${o.setV} V, ${o.points.length} readings`;
    case 'seen':
      return `${o.evidence} at ${o.module}`;
    case 'answer':
      return `${o.question}: ${o.yes ? 'yes' : 'no'}`;
    case 'fuse':
      return `${o.fuse} fuse: ${o.ohm === null ? 'open' : `${o.ohm} Ω`}`;
    case 'link':
      return `${o.link} ${o.open ? 'out' : 'back in'}`;
  }
}

/** Where the demo instrument finds the leak of the pilot car: in the middle of the string. */
const DEMO_LEAK = { position: 5, ohm: 6200 };

/**
 * Runs a test on an instrument and answers with its readings; nothing is stored here. The gate and the management
 * unit are checked before any voltage is applied.
 */
export async function streamTest(
  store: Store,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
  demo: boolean,
): Promise<{ observation: InsulationObservation }> {
  const input = StreamTestSchema.parse(body);
  const pack = normalisePack(profile);
  await store.sequelize.transaction((tx) => requireGate(store, job.id, profile, 'An insulation test', tx));
  if (!input.managementDisconnected)
    throw new InputProblem(
      'management-connected',
      'The management unit is not said to be disconnected: no test voltage is applied.',
      'before the test voltage',
      'Sense and management plugs off, said so with the test.',
    );
  const most = pack.profile.insulation?.testVoltageMostV ?? 1000;
  if (input.setV > most)
    throw new InputProblem(
      'series',
      `${input.setV} V is more than the ${most} V that is allowed here.`,
      'test voltage',
      `At most ${most} V.`,
    );
  checkPlaces(
    { kind: 'tester', tested: input.tested, setV: input.setV, points: [], temperatureC: null, mounted: true },
    pack,
  );
  let tester: SimulatedTester | null = null;
  let address = { host: '127.0.0.1', port: 0 };
  if (input.source.kind === 'demo') {
    if (!demo) throw notFound('The demo instrument');
    const ids = pack.stringOrder.map((m) => pack.modules[m]!.id);
    const [from, to] =
      input.tested.part === 'section'
        ? [ids.indexOf(input.tested.from), ids.indexOf(input.tested.to)].sort((a, b) => a - b)
        : input.tested.part === 'pack'
          ? [0, ids.length - 1]
          : [-1, -1];
    const inside = DEMO_LEAK.position >= from! && DEMO_LEAK.position <= to!;
    const started = await SimulatedTester.start(
      { leakOhm: inside ? DEMO_LEAK.ohm : null, goodOhm: 12.6e9 / Math.max(1, to! - from! + 1) },
      12,
    );
    tester = started.tester;
    address.port = started.port;
  } else {
    if (
      !['127.0.0.1', 'localhost', '::1', ...(process.env.CELLMEND_GATEWAYS ?? '').split(/[\s,]+/)].includes(
        input.source.host,
      )
    )
      throw new HttpProblem(
        403,
        'Not allowed',
        `${input.source.host} is not an instrument of this workshop.`,
        {
          accepted: '127.0.0.1, or a host named in CELLMEND_GATEWAYS when the server is started.',
        },
      );
    address = input.source;
  }
  const points: SeriesPoint[] = [];
  try {
    const { client } = await ScpiClient.open(address.host, address.port);
    try {
      await runInsulationTest(client, input.setV, input.seconds, (point) => {
        points.push(point);
        void announceNow(store, { topic: 'tester', job: job.number, point });
      });
    } finally {
      client.close();
    }
  } finally {
    tester?.stop();
  }
  return {
    observation: {
      kind: 'tester',
      tested: input.tested,
      setV: input.setV,
      points,
      temperatureC: input.temperatureC,
      mounted: input.mounted,
    },
  };
}
