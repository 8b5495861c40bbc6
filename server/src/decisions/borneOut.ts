import type { BodyOf, DecisionBody } from '@cellmend/contract/decisions';
import { mayGoIn, needAt } from '@cellmend/core/match';
import { normalisePack } from '@cellmend/core/pack';
import { ENDINGS, MEASURES, measureWords, placesOf, routeOf, type Measure } from '@cellmend/core/route';
import { QueryTypes } from 'sequelize';
import type { Doing, Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { notProven, proofWords } from '@cellmend/core/prove';
import { factsOf } from '../jobs/facts';
import type { FoundJob } from '../jobs/find';
import { viewParts } from '../parts/view';
import { observationsOf } from '../safety/gate';
import { openWatch } from '../safety/watch';
import { bodyIn, currentDecisions } from './current';

const refuse = (detail: string, accepted: string): never => {
  throw new Refusal('notPossible', 'Not borne out by the record', detail, {
    type: 'urn:cellmend:decision',
    accepted,
  });
};

/** Lines that can be: places that exist, one line of a kind a place, nothing lost from the list without a word. */
function checkMeasures(found: FoundJob, list: readonly Measure[], before: readonly Measure[]): void {
  const { profile } = found;
  if (list.length === 0)
    refuse('The list is empty.', 'At least one line: what is to be done, or that it is declined.');
  if (new Set(list.map((m) => m.id)).size !== list.length)
    refuse('Two lines have the same id.', 'An id of its own for each line.');
  const standing = list.filter((m) => m.dropped === '');
  for (const m of standing) {
    const { on } = MEASURES[m.kind];
    if (on === 'module' && !profile.modules.some((x) => x.id === m.place))
      refuse(
        m.place
          ? `The pack has no module ${m.place}.`
          : `“${MEASURES[m.kind].name}” does not name its module.`,
        `Modules such as ${profile.modules[0]!.id}.`,
      );
    if (on === 'pack' && m.place !== '')
      refuse(`“${measureWords(m)}” is for the whole pack.`, 'No place with it.');
    if (m.closed && !('mayStayClosed' in MEASURES[m.kind]))
      refuse(
        `“${measureWords(m)}” cannot be done with the pack closed.`,
        'The pack opened, behind the gate.',
      );
  }
  const twice = standing.find(
    (m, i) => standing.findIndex((k) => k.kind === m.kind && k.place === m.place) < i,
  );
  if (twice) refuse(`“${measureWords(twice)}” stands twice.`, 'Each line once.');
  const lost = before.find((m) => !list.some((k) => k.id === m.id));
  if (lost)
    refuse(
      `“${measureWords(lost)}” was signed and is left out.`,
      'The line with a reason why it is dropped: what was signed stays on record.',
    );
}

/** Donors that can be: for a place that is to be replaced, free, at hand, of the pack's chemistry, each once. */
async function checkChoices(
  store: Store,
  doing: Doing,
  found: FoundJob,
  { choices }: BodyOf<'match'>,
  out: readonly string[],
): Promise<void> {
  const { job, profile } = found;
  const wrong = choices.find((c) => !out.includes(c.place));
  if (wrong)
    refuse(
      `${wrong.place} is not decided to come out.`,
      out.length > 0 ? `A donor for ${out.join(', ')}.` : 'A decision to replace it first.',
    );
  for (const key of ['place', 'partId'] as const)
    if (new Set(choices.map((c) => c[key])).size !== choices.length)
      refuse(
        key === 'place' ? 'A place is named twice.' : 'A donor is named twice.',
        'Each once: a donor goes in at one place.',
      );
  const ids = choices.map((c) => c.partId);
  // Whoever chooses at the same time waits here, and then sees that it is taken.
  if (ids.length > 0)
    await store.models.Part.findAll({
      where: { id: ids },
      transaction: doing.tx,
      lock: doing.tx.LOCK.NO_KEY_UPDATE,
    });
  const parts = await viewParts(store, ids, doing.tx);
  const pack = normalisePack(profile);
  for (const { partId, place } of choices) {
    const donor = parts.find((p) => p.id === partId);
    if (!donor) throw notFound('That part');
    if (donor.kind !== 'module') refuse(`${donor.label} is no module.`, `A module for ${place}.`);
    const need = needAt(pack, place);
    // What nobody knows of it yet is looked at before it goes in, not before it is kept for this job.
    const { chemistry, groupCount } = donor;
    const known = {
      ...donor,
      chemistry: chemistry ?? need?.chemistry,
      groupCount: groupCount ?? need?.groupCount,
    };
    const [obstacle] = need ? mayGoIn(known, need).obstacles : [];
    if (obstacle) refuse(`${donor.label}: ${obstacle}.`, `A donor that can lie at ${place}.`);
    if (donor.reserved && donor.reserved.job !== job.number)
      refuse(`${donor.label} is chosen in job ${donor.reserved.job}.`, 'A donor that is free.');
    const { kind } = donor.place;
    const here = kind === 'pack' && donor.place.job === job.number;
    if (!here && kind !== 'shelf' && kind !== 'bench')
      refuse(`${donor.label} is not at hand: ${kind}.`, 'A donor on the shelf or on the bench.');
  }
}

/**
 * Whether the record bears a decision out: places that exist, donors that are free, a balance of something chosen, a
 * proof of something compared, a sheet that says what is true. @throws 422 with what would be accepted
 */
export async function borneOut(
  store: Store,
  doing: Doing,
  found: FoundJob,
  body: DecisionBody,
): Promise<void> {
  const { tx } = doing;
  const { job, profile } = found;
  const decisions = await currentDecisions(store, job.id, tx);
  const list = bodyIn(decisions, 'measures');
  const out = placesOf(list?.measures ?? [], 'replace-module');
  switch (body.topic) {
    case 'measures':
      return checkMeasures(found, body.measures, list?.measures ?? []);
    case 'match':
      return checkChoices(store, doing, found, body, out);
    case 'balance': {
      const chosen = bodyIn(decisions, 'match')?.choices.map((c) => c.place) ?? [];
      const known = new Set([...chosen, ...(list?.measures ?? []).map((m) => m.place)]);
      const wrong = body.lines.find((l) => !known.has(l.place));
      if (chosen.length === 0 && body.lines.length > 0 && wrong)
        refuse('No donor is chosen yet.', 'A donor first, under Match.');
      if (wrong) refuse(`${wrong.place} has no donor and no measure.`, 'A place that something is done at.');
      return;
    }
    case 'prove': {
      if (!body.passed) return;
      const [after] = await store.sequelize.query<{ n: string }>(
        "SELECT count(*) AS n FROM scans WHERE job_id = :jobId AND role = 'after'",
        { replacements: { jobId: job.id }, type: QueryTypes.SELECT, transaction: tx },
      );
      if (Number(after!.n) === 0)
        refuse('There is no scan after the repair.', 'A scan near full and near empty, then the comparison.');
      const facts = await factsOf(store, job, profile, tx);
      if (!facts.route.comparisonPassed)
        refuse(
          'The records before and after have not been compared, or are not within their limits.',
          'A comparison that is within its limits at both ends, or “not proven”.',
        );
      const { failed, open } = notProven(facts.proofs);
      if (failed.length > 0)
        refuse(
          `It is not proven. ${failed.map(proofWords).join(' ')}`,
          'Mended and seen again, or “not proven”.',
        );
      if (open.length > 0 && (body.open.length < 3 || doing.person.role !== 'lead'))
        refuse(
          `Still to be seen: ${open.map(proofWords).join(' ')}`,
          'Each of them seen; or a lead signs with them open, and says why: the sheets print it.',
        );
      return;
    }
    case 'hand-over': {
      if (!body.ending)
        return refuse(
          'The sheet does not say how the job ends.',
          `One of ${Object.values(ENDINGS).join(', ')}.`,
        );
      const { route } = await factsOf(store, job, profile, tx);
      const obstacles = routeOf(route).endings[body.ending];
      if (obstacles.length > 0)
        refuse(
          `It may not end as ${ENDINGS[body.ending]}: ${obstacles.join(' ')}`,
          'What is missing, or another ending.',
        );
      const rows = await observationsOf(store, job.id, 'make-safe', tx);
      if (body.watchBy === '' && (await openWatch(store, job.id, rows, tx)) !== null)
        refuse(
          'The thermal watch is not over.',
          'Who carries it on, and until when: the sheet names them; or its end, under Make safe.',
        );
      if (body.ending === 'monitored' && body.watched === '')
        refuse(
          'Who watches it is not said.',
          'What is watched, by whom and until when: the owner, the delta near empty, until May.',
        );
      if (body.ending === 'declined' && body.estimate === '')
        refuse('A declined job has an estimate.', 'What it would cost to mend it, or why nobody can say.');
      if (body.ending === 'handed-on' && body.estimate === '')
        refuse('Whoever gets it is not named.', 'Who is licensed and takes it on.');
      if (
        body.ending === 'appraised' &&
        body.estimate === '' &&
        !decisions.some((d) => d.topic === 'appraisal')
      )
        refuse('What it is worth is not said.', 'What it is worth and to whom, or a signed appraisal.');
      return;
    }
    case 'reopen':
      if (!decisions.some((d) => d.topic === 'hand-over'))
        refuse('The job was never handed over.', 'Nothing: it is open.');
      return;
    default:
      return;
  }
}
