import type { RunData } from '@cellmend/contract/bench';
import type { PlanStep } from '@cellmend/core/bench';
import { QueryTypes, type Transaction } from 'sequelize';
import type { InstrumentRunRow, PersonRow } from '../db/rows';
import { audit, type Doing, type Store } from '../domain/store';
import { findJob } from '../jobs/find';
import { addCheck } from '../records/checks';
import { askedOf, chainOf, isSupervised, isThrough } from './asked';
import { keepRunFile } from './course';
import { keepRun, readLogged } from './service';

/** Why a run at the terminals of a whole pack ended where its management unit answered. */
export const ANSWERED = 'its management unit answers';
const AWAKE = 'Its management unit answers: scan it now, before anything else is done to it.';
const ASLEEP = 'Nothing answered: strip it down. A group may be at 0 V.';
const HELD = 'It held after: measure its capacity before it is trusted.';
const NOT_HELD = 'It fell back below its floor: it does not hold. Scrap it.';
/** Stands where nothing was read. */
const EMPTY = 'none';

/** Rows read at a time: a run lasts days, and its rows are not all in memory at once. */
const PAGE = 20_000;

interface Logged {
  seq: number;
  time_s: number;
  step: number;
  voltage_v: number;
  current_a: number;
  temperature_c: number | null;
}

/**
 * A run that came to its end becomes a run of the record, as a logged file does: analysed in a thread, kept with its readings,
 * all or nothing. One that was interrupted waits to go on, or to be left as it is.
 */
export async function finishRun(store: Store, row: InstrumentRunRow, given = false): Promise<void> {
  if (!isSupervised(row) || row.keptSha256 || !(isThrough(row) || given)) return;
  const chain = await chainOf(store, row);
  const ids = chain.map((r) => r.id);
  const asked = askedOf(row);
  const job = (await store.models.Job.findByPk(row.jobId))!;
  const person = (await store.models.Person.findByPk(row.personId))!;
  const found = await findJob(store, job.number);
  const instrument = await store.models.Instrument.findByPk(row.instrumentId);
  const lines = await logged(store, ids, asked.plan);
  if (lines.rows < 2) return leaveEmpty(store, person, chain);
  const cutoffV =
    asked.plan.find((s) => s.mode === 'discharge')?.limits.leastV ?? asked.plan[0]!.limits.leastV;
  const read = await readLogged(
    found.profile,
    {
      place: asked.place,
      recipe: asked.recipe,
      cutoffV,
      name: instrument?.name ?? 'an instrument',
      atCutoff: row.control?.emptied === true,
    },
    lines.text,
    'bench',
    { person: person.id },
  );
  const breaks = chain
    .slice(0, -1)
    .map((r) => r.why)
    .filter(Boolean);
  const held = asked.recipe === 'recover' && isThrough(row) ? row.control?.emptied !== true : null;
  const data: RunData = {
    ...read.data,
    version: asked.version,
    held,
    says: [
      ...(asked.recipe === 'wake' ? [row.why === ANSWERED ? AWAKE : ASLEEP] : []),
      ...(held === null ? [] : [held ? HELD : NOT_HELD]),
      ...(instrument?.simulated ? ['By a simulated instrument: of no real module.'] : []),
      ...(row.why && row.why !== ANSWERED && !isThrough(row) ? [`Ended before its end: ${row.why}.`] : []),
      ...(breaks.length > 0
        ? [`Interrupted ${breaks.length === 1 ? 'once' : `${breaks.length} times`}: ${breaks.join('; ')}.`]
        : []),
      ...read.data.says,
    ].slice(0, 60),
  };
  const after: (() => void)[] = [];
  await store.sequelize.transaction(async (tx) => {
    const doing: Doing = { tx, person, after };
    const again = await store.models.InstrumentRun.findByPk(row.id, {
      transaction: tx,
      lock: tx.LOCK.UPDATE,
    });
    if (!again || again.keptSha256) return;
    await keepRunFile(store, tx, read);
    await keepRun(store, doing, found, asked.place, row.endedAt ?? new Date(), data);
    if (held !== null) {
      // It came up within its limits, or it would not have come to its end; whether it held is what the hold said.
      const by = { place: asked.place, text: `${asked.name}, ${instrument?.name ?? 'an instrument'}` };
      await addCheck(store, doing, job.number, { ...by, check: 'recovery', passed: true });
      await addCheck(store, doing, job.number, { ...by, check: 'hold-test', passed: held, value: data.endV });
    }
    await store.models.InstrumentRun.update(
      { keptSha256: data.sha256 },
      { where: { id: ids }, transaction: tx },
    );
    await forgetRows(store, tx, ids);
  });
  for (const start of after) start();
}
/** Once a run is a file its rows are not needed any more. */
async function forgetRows(store: Store, tx: Transaction, ids: string[]): Promise<void> {
  for (const table of ['run_log', 'run_minutes'])
    await store.sequelize.query(`DELETE FROM ${table} WHERE run_id IN (:ids)`, {
      replacements: { ids },
      transaction: tx,
    });
}

/** What was logged of a chain of runs, as a table. */
async function logged(
  store: Store,
  ids: readonly string[],
  plan: readonly PlanStep[],
): Promise<{ text: string; rows: number }> {
  const pieces = ['time_s,voltage_V,current_A,temp_C,step'];
  let rows = 0;
  for (const id of ids)
    for (let after = -1; ;) {
      const page = await store.sequelize.query<Logged>(
        'SELECT seq, time_s, step, voltage_v, current_a, temperature_c FROM run_log WHERE run_id = $1 AND seq > $2 ORDER BY seq LIMIT $3',
        { bind: [id, after, PAGE], type: QueryTypes.SELECT },
      );
      for (const r of page)
        pieces.push(
          `${r.time_s.toFixed(2)},${r.voltage_v.toFixed(4)},${r.current_a.toFixed(4)},${r.temperature_c?.toFixed(2) ?? ''},${plan[r.step]?.name ?? ''}`,
        );
      rows += page.length;
      if (page.length < PAGE) break;
      after = page.at(-1)!.seq;
    }
  return { text: pieces.join('\n'), rows };
}

/** Nothing was read: there is nothing to keep but that it was tried. */
async function leaveEmpty(store: Store, person: PersonRow, chain: InstrumentRunRow[]): Promise<void> {
  await store.sequelize.transaction(async (tx) => {
    const last = chain.at(-1)!;
    await store.models.InstrumentRun.update(
      { keptSha256: EMPTY },
      { where: { id: chain.map((r) => r.id) }, transaction: tx },
    );
    await forgetRows(
      store,
      tx,
      chain.map((r) => r.id),
    );
    const { place } = askedOf(last);
    await audit(store, { tx, person, after: [] }, last.jobId, 'bench run without readings', place, last.why);
  });
}

/**
 * The same for a run that nobody waits for: what keeps it from the record is said on the bench's page, its readings stay where they
 * are, and it is tried again at the next start.
 */
export async function finishOrSay(store: Store, row: InstrumentRunRow, given = false): Promise<void> {
  try {
    await finishRun(store, row, given);
  } catch (error) {
    const why = `it could not be written down: ${error instanceof Error ? error.message : 'no reason given'}`;
    await store.models.InstrumentRun.update({ why }, { where: { id: row.id, keptSha256: null } }).catch(
      () => undefined,
    );
  }
}

/** Runs that came to their end in a process that was killed before it had written them down. */
export async function finishLeft(store: Store): Promise<void> {
  const left = await store.models.InstrumentRun.findAll({
    where: { state: ['done', 'interrupted'], keptSha256: null },
  });
  for (const row of left) if (isSupervised(row) && isThrough(row)) await finishOrSay(store, row);
}
