import { evidenceFacts } from './evidence';
import type { RouteFacts } from './facts';
import {
  ENDINGS,
  ENDING_IDS,
  listWords,
  measureFacts,
  measureWords,
  type Ending,
  type Measure,
} from './measures';
import { EVIDENCE_IDS, type EvidenceId } from './order';
import { GATED_STAGES, STAGES, type Stage } from './stages';

export const STAGE_STATES = ['nothing', 'work', 'blocked', 'done', 'reopened'] as const;
export interface StageState {
  state: (typeof STAGE_STATES)[number];
  /** In a word or two, beside the stage's name. */
  note: string;
}

/** What a person has to do next, as the job board shows it. */
export interface Need {
  need: string;
  detail: string;
  stage: Stage;
}

/** One thing that a measure asks for. */
export interface Step {
  evidence: EvidenceId;
  stage: Stage;
  /** The measures that ask for it; one where it is asked for each. */
  measures: string[];
  /** Empty for the whole pack. */
  place: string;
  need: string;
  says: string;
  met: boolean;
  /** Somebody recorded that it was not passed. */
  failed: boolean;
  /** What has to come first, as the header says it; empty where nothing does. */
  waitsFor: string;
}

export interface Route {
  stages: Record<Stage, StageState>;
  next: Need;
  /** Everything the measures ask for, in the order it is worked. */
  steps: Step[];
  /** What was signed and is not borne out by what is on record. */
  contradictions: string[];
  /** For each ending why the job may not end so; empty where it may. */
  endings: Record<Ending, string[]>;
}

const standing = (f: RouteFacts): Measure[] => (f.measures ?? []).filter((m) => m.dropped === '');
const at = (place: string): string => place || 'the pack';

/** Whether what is asked is on record, or was done by another workshop that somebody signed for. */
function isMet(f: RouteFacts, id: EvidenceId, m: Measure): boolean {
  const e = evidenceFacts(id);
  return (e.here === true && f.elsewhere !== '') || e.met(f, m);
}

/** Everything the signed measures ask for, in the order it is worked. */
function stepsOf(f: RouteFacts): Step[] {
  const list = standing(f);
  return EVIDENCE_IDS.flatMap((id): Step[] => {
    const e = evidenceFacts(id);
    const asking = list.filter((m) => measureFacts(m.kind).needs.includes(id));
    if (asking.length === 0) return [];
    const step = (measures: Measure[], place: string): Step => {
      const met = measures.every((m) => isMet(f, id, m));
      const waits =
        !met && e.after !== undefined && !isFirst(f, e.after.evidence, measures) ? e.after.note : '';
      return {
        evidence: id,
        stage: e.stage,
        measures: measures.map((m) => m.id),
        place,
        need: e.need,
        says: e.says(at(place), f),
        met,
        failed:
          !met && f.checks.some((c) => c.check === id && !c.passed && (e.per === 'job' || c.place === place)),
        waitsFor: waits,
      };
    };
    return e.per === 'job' ? [step(asking, '')] : asking.map((m) => step([m], m.place));
  });
}
/** Whether what has to come first is there. The gate has to hold now, not only once. */
const isFirst = (f: RouteFacts, id: EvidenceId, measures: Measure[]): boolean =>
  id === 'made-safe'
    ? f.gate.holds || f.elsewhere !== '' || measures.every((m) => m.closed)
    : measures.every((m) => isMet(f, id, m));

/** What failed of a proof reopens its stage, until it is seen right or somebody who may has signed all the same. */
const failingOf = (f: RouteFacts): NonNullable<RouteFacts['failing']> =>
  f.proved === true || !f.measures ? [] : (f.failing ?? []);

/** What a person has to do next. */
function nextOf(f: RouteFacts, steps: Step[], endings: Route['endings']): Need {
  if (f.output)
    return {
      need: 'Switch it off',
      detail: `${f.output}: its output could not be reached. Switch it off by hand, then say so under Instruments.`,
      stage: 'insulation',
    };
  if (f.stop)
    return { need: 'Stopped', detail: `Stopped: ${f.stop}. Nobody opens this pack.`, stage: 'make-safe' };
  if (f.handedOver && !f.reopened)
    return { need: 'Closed', detail: `Handed over: ${ENDINGS[f.handedOver]}.`, stage: 'hand-over' };
  if (!f.measures || f.reopened) {
    const again = f.reopened ? `Open again: ${f.reopened}. ` : '';
    if (f.leak)
      return f.leak.found
        ? {
            need: 'Decide',
            detail: `${again}Leak at ${f.leak.found}. What is to be done?`,
            stage: 'findings',
          }
        : { need: 'Find the leak', detail: `${again}${f.leak.title}.`, stage: 'insulation' };
    if (f.danger) return { need: 'Look first', detail: again + f.danger, stage: 'findings' };
    if (!f.scans.some((s) => s.role === 'before'))
      return {
        need: 'Scan',
        detail: again + (f.complaint || 'No scan yet. Drop the file from the scan tool.'),
        stage: 'scan',
      };
    return {
      need: 'Decide',
      detail: `${again}${f.headline ? `${f.headline.replace(/\.$/, '')}. ` : ''}What is to be done?`,
      stage: 'findings',
    };
  }
  // Not proven, and the owner agrees to watch it, or to leave it: that is an end too.
  if (f.proved === false && ENDING_IDS.every((e) => endings[e].length > 0))
    return {
      need: 'Not proven',
      detail: 'The repair was signed as not proven. What is left?',
      stage: 'findings',
    };
  const failing = failingOf(f);
  if (failing[0])
    return {
      need: 'Not right yet',
      detail: `${failing.map((x) => x.says).join(' ')} Put it right, then look again.`,
      stage: failing[0].stage,
    };
  const open =
    steps.find((s) => !s.met && s.waitsFor === '' && !evidenceFacts(s.evidence).last) ??
    steps.find((s) => !s.met);
  if (open && f.proved !== false) {
    const gate = open.waitsFor === 'gate';
    // Several places that ask for the same are one errand.
    const alike = steps.filter((s) => s.evidence === open.evidence && !s.met);
    const says =
      alike.length > 1
        ? evidenceFacts(open.evidence).says(alike.map((s) => s.place).join(', '), f)
        : open.says;
    if (open.failed)
      return {
        need: open.need,
        detail: `${open.says} It was not passed: do it again, or change what is to be done.`,
        stage: open.stage,
      };
    return gate
      ? { need: 'Make safe', detail: `The gate is closed. Then: ${says}`, stage: 'make-safe' }
      : { need: open.need, detail: says, stage: open.stage };
  }
  const ends = ENDING_IDS.filter((e) => endings[e].length === 0);
  return {
    need: 'Hand over',
    detail: `${ends.length > 0 ? `May end as ${ends.map((e) => ENDINGS[e]).join(' or ')}. ` : ''}Write what the owner should know and print the sheet.`,
    stage: 'hand-over',
  };
}

/** What proves a repair as a whole, beside the work of each line. */
const PROVES: ReadonlySet<EvidenceId> = new Set(['after-scan', 'both-ends']);
/**
 * How far a measure is by what is on record: its work is not finished, it is done, or it is done and the repair is proven as well.
 */
export type MeasureState = 'open' | 'done' | 'proven';
export function measureState(steps: readonly Step[], id: string): MeasureState {
  const unmet = steps.filter((s) => !s.met && s.measures.includes(id));
  if (unmet.length === 0) return 'proven';
  return unmet.every((s) => PROVES.has(s.evidence)) ? 'done' : 'open';
}

/** Why a job may not end in one way; empty where it may. */
function obstaclesTo(f: RouteFacts, ending: Ending, steps: Step[]): string[] {
  const why: string[] = [];
  if (f.stop) why.push(`Stop stands: ${f.stop}.`);
  if (f.output) why.push(`The output of ${f.output} could not be reached.`);
  const list = standing(f);
  const own = list.filter((m) => measureFacts(m.kind).ends === ending);
  if (own.length === 0)
    return [...why, `No measure is signed that ends so${list.length > 0 ? ` (${listWords(list)})` : ''}.`];
  const asked =
    // A repair is proven as a whole; another ending asks only for what is its own.
    ending === 'repaired'
      ? steps
      : steps.filter((s) => s.measures.some((id) => own.some((m) => m.id === id)));
  // Whoever declines leaves the rest undone; every other ending says what is not finished. What is done stands on the sheet as done.
  const left = list.filter(
    (m) => measureFacts(m.kind).ends !== ending && measureState(steps, m.id) === 'open',
  );
  if (ending !== 'repaired' && ending !== 'declined' && left.length > 0)
    why.push(`To be done still: ${listWords(left)}. Drop it with a reason, or end by it.`);
  if (ending === 'repaired' && list.some((m) => measureFacts(m.kind).ends === 'handed-on'))
    why.push('It is to go to a licensed specialist: nobody here hands it over as repaired.');
  const off = f.partsOff ?? [];
  if ((ending === 'repaired' || ending === 'monitored') && off.length > 0)
    why.push(
      `${off.length === 1 ? `${off[0]!} is` : `${off.length} parts are`} still off${off.length > 1 ? `: ${off.slice(0, 4).join(', ')}${off.length > 4 ? ' and more' : ''}` : ''}.`,
    );
  if (ending === 'repaired' && f.proved === false) why.push('It was signed as not proven.');
  for (const s of asked.filter((k) => !k.met)) why.push(s.says);
  return [...new Set(why)];
}

/** What was signed and the record does not bear out. */
function contradictionsOf(f: RouteFacts, steps: Step[]): string[] {
  const list = standing(f);
  const said: string[] = [];
  if (f.handedOver === 'repaired' && !f.reopened)
    for (const s of steps.filter((k) => !k.met)) {
      const words = s.measures.map((id) => measureWords(list.find((m) => m.id === id)!)).join(', ');
      said.push(`Handed over as repaired, and nothing on record shows it (${words}): ${s.says}`);
    }
  if (f.proved === true) {
    for (const m of list.filter((k) => k.kind === 'replace-module'))
      if (f.elsewhere === '' && !f.fitted.some((p) => p.place === m.place))
        said.push(`Signed as proven with ${m.place} to be replaced, and nothing is fitted there.`);
    if (!f.comparisonPassed)
      said.push('Signed as proven, and the newest comparison is not within its limits.');
  }
  for (const c of f.chosen)
    if (f.measures && !list.some((m) => m.kind === 'replace-module' && m.place === c.place))
      said.push(`${c.part} is chosen for ${c.place}, which is not to be replaced any more.`);
  for (const p of f.fitted)
    if (!list.some((m) => m.place === p.place))
      said.push(`${p.part} was fitted at ${p.place}, and no measure says so.`);
  return [...new Set(said)];
}

function stagesOf(f: RouteFacts, steps: Step[], endings: Route['endings']): Route['stages'] {
  const states = Object.fromEntries(
    STAGES.map((s) => [s, { state: f.noted.includes(s) ? 'work' : 'nothing', note: '' }]),
  ) as Route['stages'];
  const set = (stage: Stage, state: StageState['state'], note = ''): void => {
    states[stage] = { state, note };
  };
  for (const stage of STAGES) {
    const own = steps.filter((s) => s.stage === stage);
    const left = own.filter((s) => !s.met);
    if (own.length === 0) continue;
    const elsewhere = f.elsewhere !== '' && own.every((s) => evidenceFacts(s.evidence).here);
    if (left.length === 0) set(stage, 'done', elsewhere ? 'elsewhere' : '');
    else if (left.every((s) => s.waitsFor !== '')) set(stage, 'blocked', left[0]!.waitsFor);
    else set(stage, 'work', left.length > 1 ? `${left.length} to do` : '');
  }
  const off = f.partsOff?.length ?? 0;
  if (off > 0) {
    set('strip-down', 'work', `${off} off`);
    set('rebuild', 'work', `${off} to go on`);
  }
  if (f.intake) set('intake', 'done');
  const scans = f.scans.length;
  if (scans === 0) set('scan', 'work');
  else set('scan', 'done', `${scans} ${scans === 1 ? 'record' : 'records'}`);
  if (f.scans.some((s) => s.role === 'before') || f.leak || f.danger || f.measures)
    set('findings', f.measures ? 'done' : 'work', f.measures ? '' : 'decide');
  if (f.proved === false) set('findings', 'reopened', 'not proven');
  for (const x of failingOf(f)) set(x.stage, 'reopened', 'failed its proof');
  if (f.proved === true) set('prove', 'done');
  if (f.reopened) set('findings', 'reopened', 'open again');
  if (f.leak) {
    const asked = steps.some((s) => s.stage === 'insulation' && !s.met);
    set('insulation', f.leak.found && !asked ? 'done' : 'work', f.leak.found ?? '');
  }
  if (f.stop) set('make-safe', 'reopened', 'stopped');
  else if (f.gate.holds) set('make-safe', 'done', f.gate.stillLive ? 'still live' : 'dead');
  else if (f.gate.begun) set('make-safe', 'work');
  else if (f.gate.ever) set('make-safe', 'nothing', 'closed');
  if (!f.gate.holds) for (const s of GATED_STAGES) if (states[s].state !== 'done') set(s, 'blocked', 'gate');
  if (f.handedOver && !f.reopened) set('hand-over', 'done', ENDINGS[f.handedOver]);
  else if (ENDING_IDS.some((e) => endings[e].length === 0)) set('hand-over', 'work');
  return states;
}

/**
 * The route of a job: the state of each stage, what is needed next and why, what was signed without being borne out,
 * and how the job may end. Pure: from what is on record alone.
 */
export function routeOf(f: RouteFacts): Route {
  const steps = stepsOf(f);
  const endings = Object.fromEntries(
    ENDING_IDS.map((e) => [e, obstaclesTo(f, e, steps)]),
  ) as Route['endings'];
  return {
    stages: stagesOf(f, steps, endings),
    next: nextOf(f, steps, endings),
    steps,
    contradictions: contradictionsOf(f, steps),
    endings,
  };
}
