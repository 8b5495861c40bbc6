import type { RunData } from '@cellmend/contract/bench';
import { abilities, isBenchDriver } from '@cellmend/contract/instruments';
import type { RecoveryAnswers } from '@cellmend/contract/supervised';
import { cannotRun, mayRecover, type BenchReading, type PlanStep, type Recipe } from '@cellmend/core/bench';
import { InputProblem, judgeAt, type PackProfile } from '@cellmend/core/pack';
import type { InstrumentRow, JobRow } from '../db/rows';
import { Refusal } from '../domain/refusal';
import type { Store } from '../domain/store';
import type { Asked } from './asked';
import { unitOf, WHOLE_PACK } from './service';

export const refuse = (title: string, detail: string, accepted: string): Refusal =>
  new Refusal('notPossible', title, detail, { accepted });

/** The instrument, if it can run such a plan. @throws 422 */
export function mustBeAble(instrument: InstrumentRow, plan: readonly PlanStep[]): void {
  const { driver, kind, mostV, mostA, ohm } = instrument;
  if (!isBenchDriver(driver))
    throw refuse(
      'Not that one',
      `${instrument.name} runs no modules.`,
      'A charger, supply, load, meter or resistor bank.',
    );
  const against = cannotRun(plan, {
    ...abilities(kind),
    mostV,
    mostA,
    ohm,
  });
  if (against.length > 0)
    throw refuse(
      'Beyond that instrument',
      `${instrument.name}: ${against.join(' ')}`,
      'Another recipe, or an instrument that gives it.',
    );
}

/** Cells that ran empty in the last run of a place that came to its cut-off. */
export async function lastDropouts(store: Store, jobId: string, place: string): Promise<number> {
  const row = await store.models.Observation.findOne({
    where: { jobId, topic: 'bench', kind: 'run', subject: place },
    order: [['seq', 'DESC']],
  });
  return (row?.data as RunData | undefined)?.dropoutsAh.length ?? 0;
}

/** A Stop that stands for the job keeps every output off. @throws 423 */
export async function mustNotBeStopped(store: Store, job: JobRow): Promise<void> {
  if (await store.models.Stop.findOne({ where: { jobId: job.id, endedAt: null } }))
    throw new Refusal('closed', 'Stopped', `Job ${job.number} is stopped: nothing is switched on.`, {
      accepted: 'The same once the Stop is ended by whoever may.',
    });
}

export function mustBeThere(
  profile: PackProfile,
  { place, plan }: Asked,
  { voltageV, temperatureC }: BenchReading,
): void {
  const { pack, target } = unitOf(profile, place);
  const what = place === WHOLE_PACK ? 'the pack' : place;
  if (temperatureC === null && plan.some((s) => s.mode !== 'rest'))
    throw new InputProblem(
      'sensor',
      `No temperature at ${what}: its limit of warmth could not be kept.`,
      place,
      'A sensor on the module, read by the instrument.',
    );
  if (!Number.isFinite(voltageV))
    throw new InputProblem('instrument', 'The instrument shows no voltage.', place, 'A reading in volts.');
  if (voltageV < -0.1)
    throw new InputProblem(
      'leads',
      `${voltageV.toFixed(2)} V at ${what}: the leads are the wrong way round.`,
      place,
      'Red on plus, black on minus.',
    );
  const judged = judgeAt(pack, target, voltageV);
  if (judged.state === 'impossible')
    throw new InputProblem(
      'leads',
      `${judged.says} Is another module on the leads?`,
      place,
      'The module of that place.',
    );
  if (voltageV < 0.05)
    throw new InputProblem(
      'leads',
      `Nothing is on the leads of ${what}: ${voltageV.toFixed(2)} V.`,
      place,
      'A module, connected.',
    );
}

export function mustBeWorthIt(
  profile: PackProfile,
  recipe: Recipe,
  restV: number,
  cells: number,
  answers: RecoveryAnswers | null,
): void {
  const { may, against } = mayRecover(profile, {
    restV,
    cells,
    ...(answers ?? {
      emptyDays: null,
      ageYears: null,
      swollen: null,
      leaked: null,
      outdoors: false,
      somebodyStays: false,
    }),
  });
  if (!may)
    throw new InputProblem(
      'scrap',
      `Scrap it. ${against.join(' ')}`,
      recipe.name,
      'Scrap is the usual answer.',
    );
}
