import { listWords, MEASURE_KINDS, MEASURES, type MeasureKind } from '@cellmend/core/route';
import { useNavigate } from 'react-router';
import type { NewQuote, Quote } from '@cellmend/contract/quotes';
import { paidFor, readChance, readSpan, type OptionsAsk, type Span } from '@cellmend/core/cost';
import { InputProblem } from '@cellmend/core/pack';
import { kmOf } from '@cellmend/core/spread';
import { addDays, format } from 'date-fns';
import { Plus, Printer, X } from 'lucide-react';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { decisionOf, spreadOf } from '../api/hooks';
import { draftName, fromChoice, type Draft as ListDraft } from '../stages/findings/measureList';
import { useJobView } from '../shell/jobContext';
import { keepDraft, useDraft } from '../shell/useDraft';
import { useWorker } from '../shell/useWorker';
import { useWrite } from '../shell/useWrite';
import { Field, Input, Select } from '../ui/Field';
import { Answer, Button, Mute, NextBar, Page, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { currencyUnit, distanceUnit, kmOfShown, shownOfKm } from '../ui/units';
import { day, when } from '../ui/words';
import { OptionLine } from './OptionLine';
import type { OptionsWorked } from './optionsWorker';
import { Paper } from './Paper';
import { money, whole } from './words';

interface Row_ {
  name: string;
  says: string;
  cost: string;
  years: string;
  range: string;
  chance: string;
  back: string;
  /** What would be done: `proposed`, or one measure on the whole pack; empty where nobody said. */
  done?: string;
}
interface Draft {
  horizon: string;
  distance: string;
  validDays: string;
  note: string;
  rows: Row_[];
}
const ROW: Row_ = { name: '', says: '', cost: '', years: '', range: '', chance: '', back: '', done: '' };
/** What an option can be by itself; modules and boards are what the findings propose. */
const WHOLE: readonly MeasureKind[] = MEASURE_KINDS.filter((k) => MEASURES[k].on === 'pack');
/** Draws in a thread. */
const draw = (): Worker => new Worker(new URL('./optionsWorker.ts', import.meta.url), { type: 'module' });
const NAMES = ['Leave it', 'Balance only', 'Module from the shelf', 'Whole set', 'Used pack', 'New pack'];

type Parsed = NewQuote['options'][number];
/** One option as it was typed; what cannot be read is told, never taken for something. */
function parse(
  r: Row_,
  measuresOf: (done: string) => NonNullable<Parsed['measures']>,
): { option: Parsed | null; problem: string } {
  try {
    if (r.name.trim() === '') throw new InputProblem('name', 'It has no name.', 'name', 'A name.');
    const km = (s: Span): Span => ({
      low: kmOfShown(s.low),
      likely: kmOfShown(s.likely),
      high: kmOfShown(s.high),
    });
    return {
      option: {
        name: r.name.trim(),
        says: r.says.trim(),
        cost: readSpan(r.cost, 'cost'),
        yearsLeft: readSpan(r.years, 'time it lasts'),
        rangeKm: r.range.trim() === '' ? null : km(readSpan(r.range, 'range')),
        measures: measuresOf(r.done ?? ''),
        comebackProbability: readChance(r.chance),
        comebackCost:
          r.back.trim() === '' ? readSpan(r.cost, 'cost') : readSpan(r.back, 'cost of coming back'),
      },
      problem: '',
    };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    return { option: null, problem: `${e.what} ${e.accepted}` };
  }
}

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
    rows: [{ ...ROW, name: 'Leave it', cost: '0', chance: '0' }, { ...ROW }],
  });
  const write = useWrite();
  const navigate = useNavigate();
  const report = spreadOf(findings, 'before')?.report ?? null;
  const range = report ? kmOf(report.usableAh, pack) : null;
  const measuresOf = (done: string): NonNullable<Parsed['measures']> =>
    done === 'proposed'
      ? job.proposed.map(({ kind, place }) => ({ kind, place }))
      : done === ''
        ? []
        : [{ kind: done as MeasureKind, place: '' }];
  const parsed = d.rows.map((r) => parse(r, measuresOf));
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
  const change = (i: number, part: Partial<Row_>): void =>
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
        ({ name, says, cost, rangeKm, yearsLeft, comebackProbability, comebackCost, measures }) => ({
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
  /** What was chosen becomes the list under Findings, to be signed there. */
  const decide = (quote: Quote): void => {
    const earlier = decisionOf(job, 'measures');
    const lines = quote.options.find((o) => o.name === quote.chosen)?.measures ?? [];
    if (lines.length > 0) {
      const draft: ListDraft = {
        measures: fromChoice(lines, quote.chosen!, earlier?.body.measures ?? []),
        elsewhere: earlier?.body.elsewhere ?? '',
      };
      keepDraft(draftName(job.number, earlier?.version ?? 0), draft);
    }
    void navigate(`/jobs/${job.number}/findings?decide`);
  };
  const newest = quotes?.[0];
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
            ? `Cheapest in ${Math.round(cheapest.chanceCheapest * 100)} of 100 drawn futures.`
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
              <Row style={{ flexWrap: 'wrap' }}>
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
              {d.rows.map((r, i) => (
                <Sheet key={i} role="group" aria-label={`Option ${i + 1}`}>
                  <Stack $gap={8}>
                    <Row style={{ flexWrap: 'wrap' }}>
                      <Field style={{ flex: '1 1 160px' }}>
                        Option
                        <Input
                          list="option-names"
                          value={r.name}
                          maxLength={80}
                          onChange={(e) => change(i, { name: e.target.value })}
                        />
                      </Field>
                      {(
                        [
                          ['cost', `Costs${currencyUnit() ? `, ${currencyUnit()}` : ''}`, '600–720'],
                          ['years', 'Lasts, years', '1.4–3.2'],
                          ['range', `Goes, ${distanceUnit()}`, 'measured'],
                          ['chance', 'Comes back', '1 in 9'],
                          ['back', 'Then costs', 'the same'],
                        ] as const
                      ).map(([key, label, hint]) => (
                        <Field key={key} style={{ flex: '1 1 104px' }}>
                          {label}
                          <Input
                            className="n"
                            placeholder={hint}
                            value={r[key]}
                            maxLength={60}
                            onChange={(e) => change(i, { [key]: e.target.value })}
                          />
                        </Field>
                      ))}
                    </Row>
                    <Row style={{ alignItems: 'flex-end' }}>
                      <Field style={{ flex: 1 }}>
                        In a line
                        <Input
                          value={r.says}
                          maxLength={300}
                          onChange={(e) => change(i, { says: e.target.value })}
                        />
                      </Field>
                      <Field style={{ flex: '0 1 260px' }}>
                        What is done then
                        <Select value={r.done ?? ''} onChange={(e) => change(i, { done: e.target.value })}>
                          <option value="">not said</option>
                          {job.proposed.length > 0 && (
                            <option value="proposed">
                              {listWords(job.proposed.map((m, k) => ({ ...m, id: `m${k}` })))}
                            </option>
                          )}
                          {WHOLE.map((k) => (
                            <option key={k} value={k}>
                              {MEASURES[k].name}
                            </option>
                          ))}
                        </Select>
                      </Field>
                      {d.rows.length > 2 && (
                        <Button
                          quiet
                          aria-label={`Take ${r.name || `option ${i + 1}`} out`}
                          onPress={() => setD({ ...d, rows: d.rows.filter((_, k) => k !== i) })}
                        >
                          <X size={17} aria-hidden />
                        </Button>
                      )}
                    </Row>
                    {parsed[i]!.problem !== '' && Object.values(r).some((v) => v.trim() !== '') && (
                      <small role="status">
                        <Mute>{parsed[i]!.problem}</Mute>
                      </small>
                    )}
                  </Stack>
                </Sheet>
              ))}
              <datalist id="option-names">
                {NAMES.map((n) => (
                  <option key={n} value={n} />
                ))}
              </datalist>
              <Row>
                <Button
                  quiet
                  isDisabled={d.rows.length >= 12}
                  onPress={() => setD({ ...d, rows: [...d.rows, { ...ROW }] })}
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
          onChoose={person.mayWrite ? (name) => void choose(newest, name) : null}
          busy={write.busy}
        />
      )}
      <Screen>
        <NextBar>
          <div>
            <b>
              {newest
                ? `Given ${when(newest.at)}, stands until ${day(newest.validUntil)}.`
                : 'Nothing was given yet.'}
            </b>
            <br />
            {newest?.chosen
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
            {newest?.chosen && person.mayWrite && (
              <Button quiet onPress={() => decide(newest)}>
                Decide
              </Button>
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
