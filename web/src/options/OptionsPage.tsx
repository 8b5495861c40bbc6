import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { NewQuote, Quote } from '@cellmend/contract/quotes';
import { paidFor, type OptionsAsk } from '@cellmend/core/cost';
import { kmOf } from '@cellmend/core/diagnosis';
import { addDays, format } from 'date-fns';
import { Plus, Printer } from 'lucide-react';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { decisionOf, spreadOf } from '../api/hooks';
import { draftName, fromChoice, type Draft as ListDraft } from '../stages/findings/measureList';
import { useJobView } from '../shell/jobContext';
import { hasDraft, keepDraft, useDraft } from '../shell/useDraft';
import { useWorker } from '../shell/useWorker';
import { useWrite } from '../shell/useWrite';
import { Field, Input } from '../ui/Field';
import { Answer, Button, Mute, NextBar, Page, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { currencyUnit, distanceUnit, kmOfShown, shownOfKm } from '../ui/units';
import { day, when } from '../ui/words';
import { FromRecord } from './FromRecord';
import { OptionForm, OptionNames } from './OptionForm';
import { OptionLine } from './OptionLine';
import { EMPTY_ROW, parseRow, type OptionRow } from './optionRow';
import type { OptionsWorked } from './optionsWorker';
import { Paper } from './Paper';
import { money, whole } from './words';

interface Draft {
  horizon: string;
  distance: string;
  validDays: string;
  note: string;
  rows: OptionRow[];
}
/** Draws in a thread. */
const draw = (): Worker => new Worker(new URL('./optionsWorker.ts', import.meta.url), { type: 'module' });
const Screen = styled.div`
  display: contents;
  @media print {
    display: none;
  }
`;

/** What the owner can choose between: what each costs a year with its likely span, and what would change it. */
export function OptionsPage() {
  const { job, person, findings, pack } = useJobView();
  const { data: quotes } = useSWR<Quote[]>(`/jobs/${job.number}/quotes`, get);
  const [d, setD] = useDraft<Draft>(`${job.number}.options`, {
    horizon: '',
    distance: '',
    validDays: '14',
    note: '',
    rows: [{ ...EMPTY_ROW, name: 'Leave it', cost: '0', chance: '0' }, { ...EMPTY_ROW }],
  });
  const write = useWrite();
  const navigate = useNavigate();
  const report = spreadOf(findings, 'before')?.report ?? null;
  const range = report ? kmOf(report.usableAh, pack) : null;
  const parsed = d.rows.map((r) => parseRow(r, job.proposed));
  const horizon = Number(d.horizon.replace(',', '.'));
  const yearly = kmOfShown(Number(d.distance.replace(/[\s,](?=\d{3})/g, '')));
  const options = parsed.flatMap((p) => p.option ?? []);
  const complete =
    parsed.every((p) => p.option) && options.length > 1 && horizon > 0 && yearly >= 0 && d.distance !== '';
  const ask: OptionsAsk | null =
    complete && paidFor(options).length > 0
      ? {
          horizonYears: horizon,
          distanceKmPerYear: yearly,
          currency: currencyUnit(),
          draws: 20_000,
          seed: 1,
          options: paidFor(options).map((o) => ({
            ...o,
            rangeKm: o.rangeKm ?? { low: 0, likely: 0, high: 0 },
          })),
        }
      : null;
  const { answer: worked } = useWorker<OptionsWorked>(draw, ask);
  const rows = worked?.answer.options ?? [];
  const cheapest =
    rows.length > 0 ? rows.reduce((a, b) => (b.costPerYear.p50 < a.costPerYear.p50 ? b : a)) : null;
  const most = Math.max(1, ...rows.map((r) => r.costPerYear.p90));
  const change = (i: number, part: Partial<OptionRow>): void =>
    setD({ ...d, rows: d.rows.map((r, k) => (k === i ? { ...r, ...part } : r)) });
  const keep = async (): Promise<void> => {
    const body: NewQuote = {
      horizonYears: horizon,
      distanceKmPerYear: yearly,
      options,
      validUntil: format(
        addDays(new Date(), Math.max(1, Math.round(Number(d.validDays)) || 14)),
        'yyyy-MM-dd',
      ),
      note: d.note,
      observedAt: new Date().toISOString(),
    };
    await write.run('/quotes', body);
  };
  /** Chosen is what was given, whatever is typed meanwhile. */
  const choose = async (quote: Quote, chosen: string): Promise<void> => {
    const { horizonYears, distanceKmPerYear, options: given, validUntil, note } = quote;
    const body: NewQuote = {
      horizonYears,
      distanceKmPerYear,
      validUntil,
      note,
      chosen,
      options: given.map(
        ({
          name,
          says,
          cost,
          rangeKm,
          yearsLeft,
          readyDays,
          comebackProbability,
          comebackCost,
          measures,
        }) => ({
          readyDays,
          measures,
          name,
          says,
          cost,
          rangeKm,
          yearsLeft,
          comebackProbability,
          comebackCost,
        }),
      ),
      observedAt: new Date().toISOString(),
    };
    await write.run('/quotes', body);
  };
  const earlier = decisionOf(job, 'measures');
  const listDraft = draftName(job.number, earlier?.version ?? 0);
  const [asksList, setAsksList] = useState(false);
  /** What was chosen becomes the list under Findings, to be signed there; one that somebody has begun is not lost unasked. */
  const decide = (quote: Quote, replace = false): void => {
    if (!replace && hasDraft(listDraft)) return setAsksList(true);
    const lines = quote.options.find((o) => o.name === quote.chosen)?.measures ?? [];
    if (lines.length > 0) {
      const draft: ListDraft = {
        measures: fromChoice(lines, quote.chosen!, earlier?.body.measures ?? []),
        elsewhere: earlier?.body.elsewhere ?? '',
      };
      keepDraft(listDraft, draft);
    }
    void navigate(`/jobs/${job.number}/findings?decide`);
  };
  const newest = quotes?.[0];
  const ended = newest !== undefined && newest.validUntil < format(new Date(), 'yyyy-MM-dd');
  return (
    <Page>
      <Screen>
        <h1>What should the owner choose?</h1>
        <Answer
          tone="plain"
          title={cheapest ? `${cheapest.name} costs least a year` : 'What can the owner choose between?'}
          big={cheapest ? money(cheapest.costPerYear.p50) : undefined}
          small={
            cheapest
              ? `a year, likely ${whole(cheapest.costPerYear.p10)} to ${whole(cheapest.costPerYear.p90)}`
              : undefined
          }
        >
          {cheapest
            ? `Cheapest in ${Math.round(cheapest.chanceCheapest * 100)} of 100 simulated outcomes.`
            : 'Figures are this workshop’s own; a span where nobody is sure. Filled in is only that leaving it costs nothing.'}
        </Answer>
        {worked &&
          options.map((o) => (
            <OptionLine key={o.name} option={o} found={rows.find((r) => r.name === o.name)} most={most} />
          ))}
        {worked && worked.changes.length > 0 && (
          <Sheet aria-label="What would change the choice">
            <Stack $gap={6}>
              <h3>What would change the choice</h3>
              {worked.changes.map((c) => (
                <span key={c.if}>
                  {c.if} → <b>{c.then}</b>
                </span>
              ))}
            </Stack>
          </Sheet>
        )}
        {person.mayWrite && (
          <Sheet aria-label="Options">
            <Stack>
              <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
                <Field style={{ flex: '1 1 140px' }}>
                  The owner keeps it, years
                  <Input
                    className="n"
                    inputMode="decimal"
                    value={d.horizon}
                    onChange={(e) => setD({ ...d, horizon: e.target.value })}
                  />
                </Field>
                <Field style={{ flex: '1 1 140px' }}>
                  Drives a year, {distanceUnit()}
                  <Input
                    className="n"
                    inputMode="decimal"
                    value={d.distance}
                    onChange={(e) => setD({ ...d, distance: e.target.value })}
                  />
                </Field>
                <Field style={{ flex: '1 1 120px' }}>
                  Quote stands, days
                  <Input
                    className="n"
                    inputMode="numeric"
                    value={d.validDays}
                    onChange={(e) => setD({ ...d, validDays: e.target.value })}
                  />
                </Field>
                <Field style={{ flex: '3 1 220px' }}>
                  Note for the owner
                  <Input
                    value={d.note}
                    maxLength={1000}
                    onChange={(e) => setD({ ...d, note: e.target.value })}
                  />
                </Field>
              </Row>
              {range?.measured && (
                <Mute>
                  As it is now it goes {shownOfKm(range.low)} to {shownOfKm(range.high)} {distanceUnit()},
                  measured.
                </Mute>
              )}
              <FromRecord
                rows={d.rows}
                onTake={(row) => {
                  // A row that nobody has begun makes room.
                  const begun = d.rows.filter((r) => Object.values(r).some((v) => v.trim() !== ''));
                  setD({ ...d, rows: [...begun, row] });
                }}
              />
              {d.rows.map((r, i) => (
                <OptionForm
                  key={i}
                  row={r}
                  at={i}
                  problem={parsed[i]!.problem}
                  onChange={(part) => change(i, part)}
                  onTakeOut={
                    d.rows.length > 2 ? () => setD({ ...d, rows: d.rows.filter((_, k) => k !== i) }) : null
                  }
                />
              ))}
              <OptionNames />
              <Row>
                <Button
                  quiet
                  isDisabled={d.rows.length >= 12}
                  onPress={() => setD({ ...d, rows: [...d.rows, { ...EMPTY_ROW }] })}
                >
                  <Plus size={17} aria-hidden />
                  Another option
                </Button>
              </Row>
              {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
            </Stack>
          </Sheet>
        )}
      </Screen>
      {newest && (
        <Paper
          quote={newest}
          onChoose={person.mayWrite && !ended ? (name) => void choose(newest, name) : null}
          busy={write.busy}
        />
      )}
      <Screen>
        <NextBar>
          <div>
            <b>
              {newest
                ? ended
                  ? `It stood until ${day(newest.validUntil)}: give it anew before it is chosen from.`
                  : `Given ${when(newest.at)}, stands until ${day(newest.validUntil)}.`
                : 'Nothing was given yet.'}
            </b>
            <br />
            {asksList
              ? 'A list was begun under Findings and is not signed.'
              : newest?.chosen
                ? `The owner chose: ${newest.chosen}.`
                : 'Read it with the owner; what is chosen is decided under Findings.'}
          </div>
          <Row>
            {newest && (
              <Button quiet onPress={() => window.print()}>
                <Printer size={18} aria-hidden />
                Print
              </Button>
            )}
            {newest?.chosen && person.mayWrite && !asksList && (
              <Button quiet onPress={() => decide(newest)}>
                Decide
              </Button>
            )}
            {newest?.chosen && asksList && (
              <>
                <Button quiet onPress={() => decide(newest, true)}>
                  Replace the list begun
                </Button>
                <Button quiet onPress={() => void navigate(`/jobs/${job.number}/findings?decide`)}>
                  Keep it
                </Button>
              </>
            )}
            {person.mayWrite && (
              <Button isDisabled={!complete || write.busy} onPress={() => void keep()}>
                Keep as quote
              </Button>
            )}
          </Row>
        </NextBar>
      </Screen>
    </Page>
  );
}
