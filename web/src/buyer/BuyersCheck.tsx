import { buyersCheck } from '@cellmend/core/buyer';
import { Printer } from 'lucide-react';
import { useDeferredValue } from 'react';
import styled from 'styled-components';
import { decisionOf } from '../api/hooks';
import { Waited } from '../shell/Awaiting';
import { useJobView } from '../shell/jobContext';
import { SignNote, useSigning } from '../shell/signing';
import { useDraft } from '../shell/useDraft';
import { Answer, Button, LinkButton, Mute, NextBar, Page, ProblemNote, Row, Sheet, Stack } from '../ui/parts';
import { day, percent } from '../ui/words';
import { CheckTable } from './CheckTable';
import { isOffered, NOTHING, readTyped, typedOf, type Typed } from './typed';
import { useBuyersFacts, useUsedPack } from './useBuyer';
import { UsedPackForm } from './UsedPackForm';
import { Changes, UsedPackAnswer } from './UsedPackAnswer';

const TITLES = {
  sound: 'The pack is sound',
  'with reserve': 'Buy with reserve',
  'leave it': 'Better leave it',
  'cannot tell yet': 'It cannot be told yet',
} as const;
const Screen = styled.div`
  display: contents;
  @media print {
    display: none;
  }
`;

/**
 * One page for somebody who wants to buy. A vehicle is judged by its scan; a pack that is offered by what it shows, what was
 * looked at and what it comes to. Nothing typed is lost; signed, it is on the record and on the sheet.
 */
export function BuyersCheck() {
  const { job, pack, person } = useJobView();
  const signed = decisionOf(job, 'appraisal');
  const [draft, setDraft, clear] = useDraft<Typed>(`${job.number}.appraisal`, typedOf(signed?.body));
  const t = { ...NOTHING, ...draft };
  const signing = useSigning('appraisal');
  const { facts, report, known } = useBuyersFacts();
  const read = readTyped(t);
  const offered = isOffered(read);
  // What it comes to is drawn often: a key press goes before it.
  const settled = useDeferredValue(draft);
  const worked = readTyped({ ...NOTHING, ...settled });
  const used = useUsedPack(isOffered(worked) ? worked.appraisal : null);
  const check = known && report && !offered ? buyersCheck(report, pack, facts) : null;
  const health = report?.health;
  const lines = used?.lines ?? check?.lines ?? [];
  const lacking = used?.lacking ?? check?.lacking ?? [];
  const form = person.mayWrite && (
    <Screen>
      <UsedPackForm typed={t} scanned={report !== null} onChange={(part) => setDraft({ ...t, ...part })} />
      {read.wrong.length > 0 && <ProblemNote what={read.wrong.join(' ')} />}
    </Screen>
  );
  return (
    <Page>
      <h1>Is this pack worth buying?</h1>
      {!known ? (
        <Waited />
      ) : used ? (
        <UsedPackAnswer verdict={used} />
      ) : check ? (
        <Answer
          tone={
            check.verdict === 'sound' ? 'good' : check.verdict === 'cannot tell yet' ? 'plain' : 'suspect'
          }
          title={TITLES[check.verdict]}
          big={health?.measured ? percent(health.value) : undefined}
          small={
            health?.measured
              ? `of rated capacity, ${percent(health.low)} to ${percent(health.high)}`
              : 'capacity not measured'
          }
        >
          {check.because}
        </Answer>
      ) : (
        <Answer tone="plain" title="Nothing is measured yet">
          A rested scan near full and one near empty tell most. Of a pack on a pallet write down what it shows
          when it is woken, look at it, and type what is asked for it.
        </Answer>
      )}
      {!report && form}
      {used && <Changes verdict={used} />}
      {lines.length > 0 && (
        <Sheet>
          <CheckTable lines={lines} />
          <Mute>
            {pack.profile.name}, job {job.number}, {day(new Date().toISOString())}, {person.name}. A judgement
            of what was measured and seen, not a warranty; deltas and years are common practice, insulation is
            the published limit. A pack that nobody has shown to be sound travels as damaged: the
            dangerous-goods adviser has the last word.
          </Mute>
        </Sheet>
      )}
      {report && form}
      <Screen>
        <Stack $gap={8}>
          {offered && <SignNote signing={signing} />}
          <NextBar>
            <div>
              <b>
                {lacking.length > 0
                  ? `Still lacking: ${lacking[0]}`
                  : lines.length > 0
                    ? 'Nothing is lacking'
                    : 'Begin with what it shows'}
              </b>
              <br />
              {lacking.length > 1
                ? lacking.slice(1).join(' ')
                : signed
                  ? `Signed by ${signed.signedBy}, version ${signed.version}.`
                  : 'Kept on this tablet until it is signed.'}
            </div>
            <Row>
              {facts.odometerKm === null || facts.ageYears === null ? (
                <LinkButton $quiet to={`/jobs/${job.number}/intake`}>
                  Age and distance
                </LinkButton>
              ) : (
                <LinkButton $quiet to={`/jobs/${job.number}/${report ? 'findings' : 'scan'}`}>
                  {report ? 'Findings' : 'Scan'}
                </LinkButton>
              )}
              <Button quiet isDisabled={!known} onPress={() => window.print()}>
                <Printer size={18} aria-hidden />
                Print
              </Button>
              {offered && (
                <Button
                  isDisabled={
                    !known || !signing.may || signing.busy || read.wrong.length > 0 || !person.mayWrite
                  }
                  onPress={() => void signing.sign({ body: read.appraisal }).then((ok) => ok && clear())}
                >
                  {signed ? 'Sign again' : 'Sign appraisal'}
                </Button>
              )}
            </Row>
          </NextBar>
        </Stack>
      </Screen>
    </Page>
  );
}
