import { ENDING_IDS, ENDINGS, measureWords, type Ending } from '@cellmend/core/route';
import { Archive, Printer } from 'lucide-react';
import { Suspense, useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { decisionOf, spreadOf, useSafety, useSession } from '../../api/hooks';
import { Waited } from '../../shell/Awaiting';
import { useJobView } from '../../shell/jobContext';
import { lazily } from '../../shell/lazily';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Field, Input, TextArea } from '../../ui/Field';
import { currencyUnit } from '../../ui/units';
import { Chips } from '../../ui/Chips';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';
import { QuietAnchor, Button, LinkButton, Mute, NextBar, Page, Row, Sheet, Stack } from '../../ui/parts';
import { dated, day, sentence, upper } from '../../ui/words';
import type { StageProps } from '../props';
import { Before } from '../Before';
import { NotSeen } from './NotSeen';
import { Paper } from './Paper';
import { Quoted, useChosenQuote } from './Quoted';
import { useSheetIsWhole } from './sheetIsWhole';
import { typedOf, warrantyOf } from './warranty';
import { warrantyWords } from '../warrantyWords';
import {
  Came,
  Done,
  Found,
  Joints,
  LeftOpen,
  MeasuredTable,
  PartsOut,
  Pictures,
  Proven,
  SafetyEvidence,
  Signers,
} from './SheetParts';

const Appraised = lazily<object, typeof import('./Appraised')>(() => import('./Appraised'), 'Appraised');
const BenchResults = lazily<object, typeof import('./BenchResults')>(
  () => import('./BenchResults'),
  'BenchResults',
);
const HowTheyLeave = lazily<object, typeof import('./HowTheyLeave')>(
  () => import('./HowTheyLeave'),
  'HowTheyLeave',
);
const Screen = styled.div`
  @media print {
    display: none;
  }
`;
const Print = styled(Page)`
  @media print {
    padding: 0;
  }
`;

/** On the screen alone, never on paper: fetched once the sheet is there. */
const WasItSo = lazyChart<
  PropsOf<typeof import('../../learn/WasItSo').WasItSo>,
  typeof import('../../learn/WasItSo')
>(() => import('../../learn/WasItSo'), 'WasItSo', 0);

const Missing = lazyChart<PropsOf<typeof import('./Missing').Missing>, typeof import('./Missing')>(
  () => import('./Missing'),
  'Missing',
  0,
);
const Reopen = lazyChart<PropsOf<typeof import('./Reopen').Reopen>, typeof import('./Reopen')>(
  () => import('./Reopen'),
  'Reopen',
  0,
);
const WarrantyFields = lazyChart<
  PropsOf<typeof import('./WarrantyFields').WarrantyFields>,
  typeof import('./WarrantyFields')
>(() => import('./WarrantyFields'), 'WarrantyFields', 72);

/** What each ending's sheet is called, and what it asks for beside the record. */
const SHEETS: Record<Ending, { title: string; asks: string | null; heading: string; expect: string }> = {
  repaired: {
    title: 'Hand-over',
    asks: null,
    heading: '',
    expect:
      'For two weeks charge to full once a week and let it stand an hour, so that the balancing can finish. Come back if the range falls by more than 10 % or a warning lamp lights.',
  },
  monitored: {
    title: 'To be watched',
    asks: null,
    heading: '',
    expect: 'Come back if the range falls by more than 10 %, a warning lamp lights, or in a year.',
  },
  declined: {
    title: 'Declined',
    asks: 'What mending it would cost, or why nobody can say',
    heading: 'Estimate',
    expect: '',
  },
  appraised: { title: 'Appraisal', asks: 'What it is worth, and to whom', heading: 'Worth', expect: '' },
  'handed-on': {
    title: 'Handed on, locked',
    asks: 'To whom it goes, who is licensed',
    heading: 'Goes to',
    expect: '',
  },
  scrapped: { title: 'Scrapped and salvaged', asks: null, heading: '', expect: '' },
};

/** Measures after which the balancing has something to do. */
const LEVELS: ReadonlySet<string> = new Set([
  'replace-module',
  'balance',
  'condition',
  'dry',
  'recover',
  'whole-pack',
  'exchange',
]);
const NOTHING_TO_LEVEL = 'Come back if the range falls by more than 10 % or a warning lamp lights.';

/** The sheet the owner gets, for each way a job can end: what is on record, and nothing else. */
export function HandOverStage({ question }: StageProps) {
  const { job, findings, pack, person } = useJobView();
  const { data: session } = useSession();
  const before = spreadOf(findings, 'before');
  const after = spreadOf(findings, 'after');
  const list = decisionOf(job, 'measures');
  const signed0 = decisionOf(job, 'hand-over');
  const open = ENDING_IDS.filter((e) => job.endings[e].length === 0);
  // What the list is on its way to, while nothing is reached yet.
  const wanted = ENDING_IDS.find((e) => !job.endings[e].some((w) => w.startsWith('No measure')));
  const [chosen, setChosen] = useState<Ending | null>(signed0?.body.ending ?? null);
  const ending = chosen ?? open[0] ?? wanted ?? 'repaired';
  const [expectations, setExpectations] = useDraft<string | null>(
    `${job.number}.expectations`,
    signed0?.body.expectations ?? null,
  );
  const [notDone, setNotDone] = useDraft(`${job.number}.notDone`, signed0?.body.notDone ?? '');
  const [estimate, setEstimate] = useDraft(`${job.number}.estimate`, signed0?.body.estimate ?? '');
  const watch = useSafety(job.number).data?.watch ?? null;
  const [watchBy, setWatchBy] = useDraft(`${job.number}.watch-by`, signed0?.body.watchBy ?? '');
  const [watched, setWatched] = useDraft(`${job.number}.watched`, signed0?.body.watched ?? '');
  const [cost, setCost] = useDraft(
    `${job.number}.came-to`,
    signed0?.body.cameTo == null ? '' : String(signed0.body.cameTo),
  );
  const [warrantyTyped, setWarranty] = useDraft(
    `${job.number}.warranty`,
    typedOf(signed0?.body.warranty ?? null),
  );
  const { warranty, wrong: warrantyWrong } = warrantyOf(warrantyTyped);
  const stands = ending === 'repaired' || ending === 'monitored';
  const cameTo = cost.trim() === '' ? null : Number(cost.trim().replace(',', '.'));
  const costOk = cameTo === null || (Number.isFinite(cameTo) && cameTo >= 0);
  const quote = useChosenQuote(job.number);
  const signing = useSigning('hand-over');
  const whole = useSheetIsWhole(job.number);
  if (!list)
    return (
      <Before
        question={question}
        title="Nothing to hand over yet"
        to={`/jobs/${job.number}/findings`}
        action="To the findings"
      >
        The sheet is written from what is decided. A job that is declined or only appraised is decided there
        too.
      </Before>
    );
  const { title, asks, heading, expect } = SHEETS[ending];
  const levels = list.body.measures.some((m) => m.dropped === '' && LEVELS.has(m.kind));
  const told = expectations ?? (ending === 'repaired' && !levels ? NOTHING_TO_LEVEL : expect);
  // What the sheet asks for beside the record is missing as well.
  const asked =
    asks !== null && estimate.trim() === '' && !(ending === 'appraised' && decisionOf(job, 'appraisal'))
      ? [`${asks}: say it below.`]
      : [];
  const unnamed =
    watch && watchBy.trim() === '' ? ['Who carries the thermal watch on, and until when: say it below.'] : [];
  const unwatched =
    ending === 'monitored' && watched.trim() === ''
      ? ['Who watches what, and until when: say it below.']
      : [];
  const obstacles = [...job.endings[ending], ...asked, ...unnamed, ...unwatched];
  const dropped = list.body.measures.filter((m) => m.dropped !== '');
  return (
    <Print>
      <Screen>
        <Stack>
          <h1>{question}</h1>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[ending]}
            onSelectionChange={(k) => setChosen([...k][0] as Ending)}
            aria-label="How the job ends"
          >
            {ENDING_IDS.map((e) => (
              <ToggleButton key={e} id={e}>
                {upper(ENDINGS[e])}
              </ToggleButton>
            ))}
          </Chips>
          {obstacles.length > 0 && <Missing ending={ending} open={open} obstacles={obstacles} />}
          {person.mayWrite && (
            <Sheet>
              <Stack>
                {asks && (
                  <Field>
                    {asks}
                    <TextArea
                      value={estimate}
                      maxLength={2000}
                      onChange={(e) => setEstimate(e.currentTarget.value)}
                    />
                  </Field>
                )}
                {watch && (
                  <Field>
                    The thermal watch is not over. Who carries it on, and until when?
                    <Input
                      value={watchBy}
                      maxLength={200}
                      onChange={(e) => setWatchBy(e.currentTarget.value)}
                    />
                  </Field>
                )}
                {ending === 'monitored' && (
                  <Field>
                    Who watches what, and until when
                    <Input
                      value={watched}
                      placeholder="The owner, its delta near empty, until the end of May"
                      maxLength={300}
                      onChange={(e) => setWatched(e.currentTarget.value)}
                    />
                  </Field>
                )}
                <Field>
                  What to expect
                  <TextArea
                    value={told}
                    maxLength={4000}
                    onChange={(e) => setExpectations(e.currentTarget.value)}
                  />
                </Field>
                {stands && <WarrantyFields typed={warrantyTyped} onChange={setWarranty} />}
                {quote && (
                  <Field style={{ maxWidth: 260 }}>
                    What it came to{currencyUnit() && `, ${currencyUnit()}`}
                    <Input
                      className="n"
                      inputMode="decimal"
                      value={cost}
                      onChange={(e) => setCost(e.target.value)}
                    />
                    {!costOk && <small role="alert">A figure, please.</small>}
                  </Field>
                )}
                <Field>
                  What was not done, or not seen
                  <TextArea
                    value={notDone}
                    maxLength={4000}
                    onChange={(e) => setNotDone(e.currentTarget.value)}
                  />
                </Field>
              </Stack>
            </Sheet>
          )}
          <WasItSo stage="hand-over" />
        </Stack>
      </Screen>
      {/* What lies below the sheet is shown with all of it: a button that moves under the finger is pressed in vain. */}
      <Suspense fallback={<Waited />}>
        {whole ? (
          <Paper aria-label="Hand-over sheet">
            <header>
              <div>
                <h2 className="title">
                  {title}: {job.title}
                </h2>
                <Mute>
                  {session?.workshop} · job {job.number}
                  {job.vehicle?.plate && ` · ${job.vehicle.plate}`} ·{' '}
                  {day(signed0?.signedAt ?? new Date().toISOString())}
                </Mute>
              </div>
              <Mute>
                {pack.profile.name}, {job.physicalPack.label}
              </Mute>
            </header>
            <Came />
            <Found />
            <Done ending={ending} />
            {ending === 'appraised' && <Appraised />}
            {asks && estimate && (
              <section>
                <h2>{heading}</h2>
                <p>{estimate}</p>
              </section>
            )}
            {quote && <Quoted quote={quote} cameTo={costOk ? cameTo : null} />}
            <Joints />
            <BenchResults />
            <MeasuredTable />
            <SafetyEvidence />
            {watch && (
              <section>
                <h2>Thermal watch not over</h2>
                <p>
                  Begun {dated(watch.since)}: a temperature every {watch.everyMin} min for at least{' '}
                  {watch.leastHours} h. Carried on by: {watchBy.trim() || 'not named yet'}.
                </p>
              </section>
            )}
            {ending === 'monitored' && watched.trim() && (
              <section>
                <h2>Watched</h2>
                <p>{sentence(watched)}</p>
              </section>
            )}
            {stands && warranty && (
              <section>
                <h2>Warranty</h2>
                <p>{upper(warrantyWords(warranty))}, from the day this is signed.</p>
              </section>
            )}
            {told && (
              <section>
                <h2>What to expect</h2>
                <p>{told}</p>
              </section>
            )}
            {(notDone || dropped.length > 0) && (
              <section>
                <h2>Not done</h2>
                {dropped.map((m) => (
                  <p key={m.id}>
                    {upper(measureWords(m))}: {m.dropped}.
                  </p>
                ))}
                {notDone && <p>{notDone}</p>}
              </section>
            )}
            <NotSeen ending={ending} />
            <Proven ending={ending} />
            <LeftOpen />
            <Pictures />
            <PartsOut />
            {job.removed.length > 0 && <HowTheyLeave />}
            {job.contradictions.length > 0 && (
              <section>
                <h2>Not borne out by the record</h2>
                {job.contradictions.map((c) => (
                  <p key={c}>{c}</p>
                ))}
              </section>
            )}
            <Signers signers={job.signers} />
            <div className="sign">
              <div>{signed0 ? `${signed0.signedBy}, ${day(signed0.signedAt)}` : 'Technician'}</div>
              <div>Owner</div>
            </div>
          </Paper>
        ) : (
          <Waited />
        )}
        <Screen>
          <Stack>
            <SignNote signing={signing} />
            <NextBar>
              <div>
                <b>
                  {signed0
                    ? `Signed by ${signed0.signedBy}.`
                    : whole
                      ? 'Read it with the owner, then sign.'
                      : 'It is signed once all of it is here.'}
                </b>
                <br />
                One copy for the owner, one inside the file of the pack.
              </div>
              <Row>
                <LinkButton $quiet to={`/jobs/${job.number}/lid-note`}>
                  Inside the lid
                </LinkButton>
                {person.mayWrite && (
                  <QuietAnchor href={`/api/jobs/${job.number}/archive`} download={`job-${job.number}.zip`}>
                    <Archive size={18} aria-hidden />
                    Archive
                  </QuietAnchor>
                )}
                <Button quiet isDisabled={!whole} onPress={() => window.print()}>
                  <Printer size={18} />
                  Print
                </Button>
                <Button
                  isDisabled={
                    !whole ||
                    !signing.may ||
                    signing.busy ||
                    obstacles.length > 0 ||
                    !costOk ||
                    (stands && warrantyWrong)
                  }
                  onPress={() =>
                    void signing.sign({
                      body: {
                        topic: 'hand-over',
                        expectations: told,
                        notDone,
                        ending,
                        estimate: asks ? estimate : '',
                        cameTo: quote ? cameTo : null,
                        watchBy: watch ? watchBy : '',
                        watched: ending === 'monitored' ? watched : '',
                        warranty: stands ? warranty : null,
                      },
                      findingIds: [...(before ? [before.id] : []), ...(after ? [after.id] : [])],
                    })
                  }
                >
                  {signed0 ? 'Sign again' : 'Sign sheet'}
                </Button>
              </Row>
            </NextBar>
            {signed0 && whole && <Reopen />}
          </Stack>
        </Screen>
      </Suspense>
    </Print>
  );
}
