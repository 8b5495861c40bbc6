import { NewCheckSchema, type Check } from '@cellmend/contract/records';
import { normalisePack, type Pack } from '@cellmend/core/pack';
import { judgePreCharge } from '@cellmend/core/precharge';
import { judgeLeakTest, judgeWake } from '@cellmend/core/stripdown';
import type { CheckId } from '@cellmend/contract/jobs';
import { channelsOfBoard, isProof, judgeBoard, proofFacts } from '@cellmend/core/prove';
import { checkAsks, EVIDENCE, type Stage } from '@cellmend/core/route';
import type { z } from 'zod';
import type { FindingRow, ObservationRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import { reportOf } from '../findings/stored';
import { refreshNeed } from '../jobs/need';
import { findJob } from '../jobs/find';
import { isGated, namesOf, requireGate } from '../safety/gate';
import { checksOf, type CheckData } from './checkFacts';
import { keepObservation } from './observe';

/** What a check is, whether it is a step of the work or proves it. */
function checkFacts(
  id: CheckId,
  left: readonly string[] = [],
): {
  stage: Stage;
  need: string;
  per: 'job' | 'measure';
  asks: string;
  unit: string;
} {
  if (isProof(id)) {
    const { need, per, asks, unit = '' } = proofFacts(id);
    return { stage: 'prove', need, per, asks, unit };
  }
  const { stage, need, per, check } = EVIDENCE[id];
  return { stage, need, per, asks: checkAsks(check!, left), unit: check!.unit ?? '' };
}

const figure = (value: number): string => String(Number(value.toPrecision(6)));
const view = (row: ObservationRow, by: string): Check => {
  const { passed, value, text, left } = row.data as CheckData;
  const check = row.kind as CheckId;
  return {
    id: row.id,
    check,
    place: row.subject,
    passed,
    value,
    unit: value === null ? '' : checkFacts(check).unit,
    text,
    ...(left ? { left } : {}),
    by,
    at: row.recordedAt.toISOString(),
  };
};

/** Every check of a job, newest first. */
export async function listChecks(store: Store, number: unknown): Promise<Check[]> {
  const { job } = await findJob(store, number);
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'work' },
    order: [['seq', 'DESC']],
    limit: 1000,
  });
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  return rows.map((r) => view(r, names[r.personId ?? ''] ?? 'someone'));
}

/** What was left out of a check, each one of what it asks besides. @throws 400 for anything else */
function leftOf({ check, left }: z.output<typeof NewCheckSchema>): string[] {
  const besides = isProof(check) ? [] : (EVIDENCE[check].check?.besides ?? []);
  const other = left.find((l) => !besides.includes(l));
  if (other !== undefined)
    throw new Refusal('unacceptable', 'Cannot be accepted', `“${other}” is not asked there.`, {
      fields: [
        {
          field: 'left',
          message:
            besides.length > 0 ? `Of: ${besides.join(', ')}.` : 'Nothing: it is one thing, passed or not.',
        },
      ],
    });
  return besides.filter((b) => left.includes(b));
}

/**
 * What a check says: as the one who looked says, or worked out from its figures. That the closed pack woke is worked out, never
 * said. @throws 422 where its figures are missing
 */
function judged(input: z.output<typeof NewCheckSchema>, pack: Pack): CheckData {
  const note = (says: string): string => [says, input.text].filter(Boolean).join(' ').slice(0, 2000);
  if (input.check === 'wakes') {
    if (!input.wake)
      throw new Refusal(
        'notPossible',
        'Its figures are missing',
        'Whether the pack woke is worked out from what its management unit shows.',
        {
          fields: [
            {
              field: 'wake',
              message: 'Channels that reply, highest and lowest, pack voltage, temperatures, codes.',
            },
          ],
        },
      );
    const { points, passed, deltaMv } = judgeWake(pack, input.wake);
    const told = passed ? points : points.filter((p) => p.state !== 'right');
    return { passed, value: deltaMv, text: note(told.map((p) => p.says).join(' ')), wake: input.wake };
  }
  if (input.check === 'coolant-tight' && input.leak) {
    const { passed, dropKpa, says } = judgeLeakTest(input.leak);
    return { passed, value: dropKpa, text: note(says), leak: input.leak };
  }
  if (input.check === 'contactors' && input.bus) {
    const { toldPackV, ...trace } = input.bus;
    const { state, says, closedAt } = judgePreCharge(trace, {
      packV: toldPackV,
      resistorOhm: pack.profile.preChargeOhm ?? null,
      capacitanceF: pack.profile.busCapacitanceF ?? null,
    });
    const found = { state, says: says.join(' ').slice(0, 1200) };
    const value = closedAt && Math.floor(closedAt.low * 1000) / 10;
    return { passed: state !== 'fail', value, text: note(found.says), bus: input.bus, found };
  }
  const papers = isProof(input.check) ? undefined : EVIDENCE[input.check].check?.papers;
  if (papers !== undefined && input.passed && input.text.length < 3)
    throw new Refusal('unacceptable', 'Not written down yet', `${papers}: nothing is written down.`, {
      fields: [{ field: 'text', message: `${papers}.` }],
    });
  return {
    passed: input.passed,
    value: input.value,
    text: input.text,
    ...(input.left.length > 0 ? { left: leftOf(input) } : {}),
  };
}

/** A board against the meter, by the newest figures of a scan of this job. @throws 404 where that finding is none of it */
async function boardJudged(
  store: Store,
  doing: Doing,
  jobId: string,
  pack: Pack,
  {
    place,
    text,
    board,
  }: Pick<z.output<typeof NewCheckSchema>, 'place' | 'text'> & {
    board: NonNullable<z.output<typeof NewCheckSchema>['board']>;
  },
): Promise<CheckData> {
  const row = await store.models.Finding.findOne({
    // The board that is in now is the one that the scan after the work has read.
    where: { id: board.findingId, jobId, topic: 'spread', subject: 'after' },
    transaction: doing.tx,
  });
  if (!row) throw notFound('That scan after the work');
  const { settledV, jumps } = reportOf(row);
  const index = new Map(pack.channels.map((c) => [c.id, c.index]));
  const meter = new Map<number, number>();
  for (const { channel, voltageV } of board.meter) {
    const i = index.get(channel);
    if (i === undefined)
      throw new Refusal('unacceptable', 'Cannot be accepted', `The pack has no channel ${channel}.`, {
        fields: [{ field: 'board.meter', message: 'Channels as the profile names them.' }],
      });
    meter.set(i, voltageV);
  }
  const seen = judgeBoard(channelsOfBoard(pack, place), settledV, meter, jumps, pack);
  const { worstMv } = seen;
  const early = await scanIsEarlier(store, doing, jobId, row, place);
  const state = early && seen.state === 'pass' ? 'hold' : seen.state;
  const found = {
    state,
    says: [...(early ? ['The scan is from before this board was in: scan again.'] : []), ...seen.says]
      .join(' ')
      .slice(0, 1200),
  };
  return {
    passed: state !== 'fail',
    value: worstMv === null ? null : Math.round(Math.abs(worstMv) * 10) / 10,
    text: [found.says, text].filter(Boolean).join(' ').slice(0, 2000),
    board,
    found,
  };
}

/** Whether what was scanned last of a finding came before the board at a place was looked at as fitted: then it read the old one. */
async function scanIsEarlier(
  store: Store,
  doing: Doing,
  jobId: string,
  finding: FindingRow,
  place: string,
): Promise<boolean> {
  const fitted = (await checksOf(store, jobId, doing.tx)).find(
    (c) => c.check === 'board-answers' && c.place === place && c.passed,
  );
  if (!fitted) return false;
  const { scanIds } = finding.parameters as { scanIds?: string[] };
  const scans = await store.models.Scan.findAll({
    attributes: ['createdAt'],
    where: { id: scanIds ?? [], jobId },
    transaction: doing.tx,
  });
  return scans.length > 0 && scans.every((s) => s.createdAt < fitted.recordedAt);
}

/** Records that some work was looked at and passed, or did not. Done again, the newest counts. */
export async function addCheck(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Check> {
  const input = NewCheckSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const { stage, need, per, asks, unit } = checkFacts(input.check, input.left);
  if (isGated(stage)) await requireGate(store, job.id, profile, `“${need}”`, doing.person, doing.tx);
  const place = per === 'job' ? '' : input.place;
  const pack = normalisePack(profile);
  const data =
    input.check === 'board-agrees' && input.board
      ? await boardJudged(store, doing, job.id, pack, { ...input, place, board: input.board })
      : judged(input, pack);
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'work',
    kind: input.check,
    data,
    subjectKind: place === '' ? 'pack' : 'place',
    subject: place,
    stage,
  });
  await audit(
    store,
    doing,
    job.id,
    data.passed ? 'checked' : 'check not passed',
    `${place} ${need}`.trim(),
    [
      asks,
      data.left ? `not done: ${data.left.join(', ')}` : '',
      data.value === null ? '' : `${figure(data.value)} ${unit}`.trim(),
      data.text,
    ]
      .filter(Boolean)
      .join('; '),
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'checks', job.number);
  return view(row, doing.person.name);
}
