import type { BodyOf } from '@cellmend/contract/decisions';
import { ENDING_IDS, ENDINGS, type Ending } from '@cellmend/core/route';
import { Archive, Printer } from 'lucide-react';
import { Suspense } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { decisionOf, spreadOf } from '../../api/hooks';
import { Waited } from '../../shell/Awaiting';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { Chips } from '../../ui/Chips';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';
import { QuietAnchor, Button, LinkButton, NextBar, Page, Row, Stack } from '../../ui/parts';
import { upper } from '../../ui/words';
import type { StageProps } from '../props';
import { Before } from '../Before';
import { SheetFields } from './SheetFields';
import { SHEETS } from './sheetKinds';
import { useSheetIsWhole } from './sheetIsWhole';
import { SheetPaper } from './SheetPaper';
import { useSheet, type SheetTyped } from './useSheet';

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
/** What is signed under. */
const bodyOf = (s: SheetTyped): BodyOf<'hand-over'> => ({
  topic: 'hand-over',
  expectations: s.told,
  notDone: s.notDone,
  ending: s.ending,
  estimate: SHEETS[s.ending].asks ? s.estimate : '',
  cameTo: s.quote ? s.cameTo : null,
  watchBy: s.watch ? s.watchBy : '',
  watched: s.ending === 'monitored' ? s.watched : '',
  warranty: s.warranty,
});

/** The sheet the owner gets, for each way a job can end: what is on record, and nothing else. */
export function HandOverStage({ question }: StageProps) {
  const { job, findings, person } = useJobView();
  const before = spreadOf(findings, 'before');
  const after = spreadOf(findings, 'after');
  const sheet = useSheet();
  const { ending, open, obstacles, signed } = sheet;
  const signing = useSigning('hand-over');
  const whole = useSheetIsWhole(job.number);
  if (!decisionOf(job, 'measures'))
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
  return (
    <Print>
      <Screen>
        <Stack>
          <h1>{question}</h1>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[ending]}
            onSelectionChange={(k) => sheet.setEnding([...k][0] as Ending)}
            aria-label="How the job ends"
          >
            {ENDING_IDS.map((e) => (
              <ToggleButton key={e} id={e}>
                {upper(ENDINGS[e])}
              </ToggleButton>
            ))}
          </Chips>
          {obstacles.length > 0 && <Missing ending={ending} open={open} obstacles={obstacles} />}
          {person.mayWrite && <SheetFields sheet={sheet} />}
          <WasItSo stage="hand-over" />
        </Stack>
      </Screen>
      {/* What lies below the sheet is shown with all of it: a button that moves under the finger is pressed in vain. */}
      <Suspense fallback={<Waited />}>
        {whole ? <SheetPaper sheet={sheet} /> : <Waited />}
        <Screen>
          <Stack>
            <SignNote signing={signing} />
            <NextBar>
              <div>
                <b>
                  {signed
                    ? `Signed by ${signed.signedBy}.`
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
                    !sheet.costOk ||
                    !sheet.warrantyOk
                  }
                  onPress={() =>
                    void signing.sign({
                      body: bodyOf(sheet),
                      findingIds: [...(before ? [before.id] : []), ...(after ? [after.id] : [])],
                    })
                  }
                >
                  {signed ? 'Sign again' : 'Sign sheet'}
                </Button>
              </Row>
            </NextBar>
            {signed && whole && <Reopen />}
          </Stack>
        </Screen>
      </Suspense>
    </Print>
  );
}
