import {
  handsOf,
  LEVEL_A,
  optionsFromRecord,
  type FilledOption,
  type Ready,
  type ReadyAsk,
} from '@cellmend/core/quote';
import type { BenchHours } from '@cellmend/core/bench';
import { readSpan, type Span } from '@cellmend/core/cost';
import { fullV, InputProblem } from '@cellmend/core/pack';
import { kmOf } from '@cellmend/core/diagnosis';
import type { UsedPackOffer } from '@cellmend/contract/quotes';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { useStock, useWorkshop } from '../api/hooks';
import { SWAP_SCHOOLS, type SwapSchool } from '@cellmend/core/match';
import { useLookingBack } from '../learn/WasItSo';
import { useJobView } from '../shell/jobContext';
import { useDraft } from '../shell/useDraft';
import { useThread } from '../stages/bench/useBench';
import { benchDraft, FIRST_HOURS, hoursOf, nextQuarter, type TypedHours } from '../stages/bench/hours';
import { useSchools } from '../stages/match/useSchools';
import { usePlan } from '../stages/strip-down/usePlan';
import { Field, Input } from '../ui/Field';
import { Button, Mute, Row, Sheet, Stack } from '../ui/parts';
import { shownOfKm } from '../ui/units';
import { EMPTY_ROW, swapsAt, type OptionRow } from './optionRow';

const Line = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 14px;
  align-items: center;
`;

/** A span as somebody would type it. */
function typed(s: Span | null, digits: number): string {
  if (!s) return '';
  const [low, likely, high] = [s.low, s.likely, s.high].map((v) => v.toFixed(digits));
  return low === high ? low! : `${low} ${likely} ${high}`;
}
const yearsOf = (s: Span | null): Span | null =>
  s && { low: Math.min(30, s.low), likely: Math.min(30, s.likely), high: Math.min(30, s.high) };

function rowOf(o: FilledOption): OptionRow {
  const km = o.rangeKm && {
    low: shownOfKm(o.rangeKm.low),
    likely: shownOfKm(o.rangeKm.likely),
    high: shownOfKm(o.rangeKm.high),
  };
  return {
    ...EMPTY_ROW,
    name: o.name,
    says: o.says.slice(0, 300),
    cost: typed(o.cost, 0),
    years: typed(yearsOf(o.yearsLeft), 1),
    range: typed(km, 0),
    ready: typed(o.readyDays, 0),
    chance: o.comeback ? `${o.comeback.hits} of ${o.comeback.n}` : '',
    done: swapsAt(o.places),
  };
}

const usedRow = (o: UsedPackOffer): OptionRow => ({
  ...EMPTY_ROW,
  name: `Used pack, job ${o.job}`,
  says: `${o.title}: price, tax, deposit, freight and own hours`.slice(0, 300),
  cost: typed(o.cost, 0),
  years: typed(yearsOf(o.yearsLeft), 1),
  done: 'whole-pack',
});

const sumOf = (hours: readonly number[] | null): number | null => hours && hours.reduce((a, b) => a + b, 0);
/** Days until parts come in, as somebody types them; what cannot be read is told. */
function readDelivery(text: string): { span: Span | null; problem: string } {
  if (text.trim() === '') return { span: null, problem: '' };
  try {
    return { span: readSpan(text, 'time until parts come in'), problem: '' };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    return { span: null, problem: `${e.what} ${e.accepted}` };
  }
}
const benchWords = (b: BenchHours): string =>
  `${b.channels} bench channel${b.channels === 1 ? '' : 's'} at ${LEVEL_A} A and ${b.persons} ${b.persons === 1 ? 'person' : 'persons'} there ${b.fromHour} to ${b.toHour} h, ${b.workdays.length} days a week`;

/** What the record itself says of each school: prices, plan, measured capacities, come-backs. What it does not say stays open. */
export function FromRecord({
  rows,
  onTake,
}: {
  rows: readonly OptionRow[];
  onTake: (row: OptionRow) => void;
}) {
  const { job, pack } = useJobView();
  const { rows: schools, why, level, levelEach } = useSchools();
  const [hours] = useDraft<TypedHours>(benchDraft(job.number), FIRST_HOURS);
  const [delivery, setDelivery] = useDraft(`${job.number}.delivery`, '');
  const { data: stock } = useStock();
  const { data: workshop } = useWorkshop();
  const { data: back } = useLookingBack();
  const { data: offers } = useSWR<UsedPackOffer[]>(`/jobs/${job.number}/offers`, get);
  const placesOf = (school: string): string[] => schools?.find((s) => s.school === school)?.places ?? [];
  const failed = usePlan(placesOf('failed')).plan ?? null;
  const below = usePlan(placesOf('below')).plan ?? null;
  const set = usePlan(placesOf('set')).plan ?? null;
  const took = back?.minutes
    ? { low: back.minutes.low, likely: back.minutes.ratio, high: back.minutes.high }
    : null;
  const bench = hoursOf(hours, workshop?.closedOn ?? [], nextQuarter());
  const arrives = readDelivery(delivery);
  const labour = { failed, below, set };
  const asks = Object.fromEntries(
    (bench ? (schools ?? []) : []).flatMap((row): [string, ReadyAsk][] => {
      const work = labour[row.school];
      // What is not here yet is not measured either: the day it comes in is known, its hours to level are not.
      const levelH = row.lacking > 0 ? [] : levelEach(row);
      if (!work || !levelH || (row.lacking > 0 && !arrives.span)) return [];
      const cells = Math.max(...pack.modules.map((m) => m.groupIndices.length));
      const levelKw = Math.min(bench!.powerBudgetKw, (LEVEL_A * fullV(pack.profile, cells)) / 1000);
      return [
        [row.school, { bench: bench!, ...handsOf(work, took), levelH, levelKw, partsInDays: arrives.span }],
      ];
    }),
  );
  const { answer: ready } = useThread('ready', Object.keys(asks).length > 0 ? asks : null);
  const readyOf = (school: SwapSchool): Ready | null => {
    const found = ready?.[school];
    const lacking = schools?.find((s) => s.school === school)?.lacking ?? 0;
    return found ? { ...found, ...(lacking > 0 ? { atLeast: true } : {}) } : null;
  };
  if (!workshop || (!schools && (offers ?? []).length === 0))
    return why === '' ? null : <Mute>Nothing can be filled in from the record. {why}</Mute>;
  const swaps = back?.backBy.find((b) => b.measure === 'replace module')?.share ?? null;
  const filled = optionsFromRecord({
    schools: schools ?? [],
    labour,
    hourRate: workshop.hourRate,
    priceOf: (what) => stock?.find((s) => s.kind !== 'module' && s.name === what)?.price ?? null,
    levelHours: Object.fromEntries(
      SWAP_SCHOOLS.map((school) => {
        const row = schools?.find((s) => s.school === school);
        return [school, row ? sumOf(levelEach(row)) : null];
      }),
    ) as Record<SwapSchool, number | null>,
    rangeKm: (ah) => {
      const km = kmOf(level(ah), pack);
      return km.measured ? { low: km.low, likely: km.value, high: km.high } : null;
    },
    tookAgainstPlan: took,
    ready: Object.fromEntries(SWAP_SCHOOLS.map((school) => [school, readyOf(school)])) as Record<
      SwapSchool,
      Ready | null
    >,
    benchSays: bench ? benchWords(bench) : '',
    cameBack: swaps && { hits: swaps.hits, n: swaps.n },
  });
  return (
    <Sheet aria-label="From the record">
      <Stack $gap={8}>
        <Row style={{ alignItems: 'flex-start' }}>
          <h3 style={{ flex: 1 }}>From the record</h3>
          <Field style={{ flex: '0 0 210px' }}>
            Parts that are not here, days
            <Input
              className="n"
              value={delivery}
              placeholder="all is here"
              maxLength={40}
              onChange={(e) => setDelivery(e.target.value)}
            />
          </Field>
        </Row>
        {arrives.problem !== '' && (
          <small role="status">
            <Mute>{arrives.problem}</Mute>
          </small>
        )}
        {filled.map((o) => (
          <Line key={o.school}>
            <span>
              <b>{o.name}</b>
              {o.from.length > 0 && <Mute>: {o.from.join('; ')}.</Mute>}
              {o.open.length > 0 && (
                <>
                  <br />
                  <Mute>To be typed: {o.open.join('; ')}.</Mute>
                </>
              )}
            </span>
            <Button
              quiet
              isDisabled={rows.some((r) => r.name === o.name)}
              onPress={() => onTake(rowOf(o))}
              aria-label={`Take ${o.name} as an option`}
            >
              {rows.some((r) => r.name === o.name) ? 'Taken' : 'Take'}
            </Button>
          </Line>
        ))}
        {(offers ?? []).map((o) => {
          const row = usedRow(o);
          return (
            <Line key={o.job}>
              <span>
                <b>{row.name}</b>
                <Mute>
                  : appraised as job {o.job}
                  {o.verdict === 'cannot tell yet' ? ', not settled yet' : ''}. To be typed: how often it
                  comes back.
                </Mute>
              </span>
              <Button
                quiet
                isDisabled={rows.some((r) => r.name === row.name)}
                onPress={() => onTake(row)}
                aria-label={`Take ${row.name} as an option`}
              >
                {rows.some((r) => r.name === row.name) ? 'Taken' : 'Take'}
              </Button>
            </Line>
          );
        })}
        {!schools && why !== '' && <Mute>{why}</Mute>}
      </Stack>
    </Sheet>
  );
}
