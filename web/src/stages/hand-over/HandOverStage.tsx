import { REPAIR_LEVELS } from '@cellmend/contract/jobs';
import type { BalancePlan } from '@cellmend/core/balance';
import type { Comparison } from '@cellmend/core/prove';
import { verdictName } from '@cellmend/core/spread';
import { Printer } from 'lucide-react';
import styled from 'styled-components';
import { decisionOf, spreadOf, useSession, useStock, useSafety } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Button, DataTable, Field, Mute, NextBar, Page, Row, Sheet, Stack, TextArea } from '../../ui/parts';
import { day, fixed, percent, signed, when } from '../../ui/words';
import { Figure } from '../../ui/Measured';
import type { StageProps } from '../props';
import { Before } from '../Before';
import { magnitude, suspectsOf } from '../findings/view';

const Paper = styled.article`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 24px 30px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  header {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
    border-bottom: 2px solid var(--mat-text);
    padding-bottom: 8px;
  }
  h2.title {
    font-size: 23px;
  }
  h2 {
    font-size: 17px;
    margin: 0 0 3px;
  }
  section p {
    max-width: 74ch;
  }
  .sign {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 40px;
    margin-top: 26px;
    div {
      border-top: 1px solid var(--ink);
      padding-top: 4px;
      font-size: 13px;
    }
  }
  @media print {
    border: 0;
    padding: 0;
    color: #000;
    background: #fff;
    font-size: 12.5px;
    gap: 9px;
    * {
      color: #000 !important;
    }
    section {
      break-inside: avoid;
    }
    h2.title {
      font-size: 21px !important;
    }
    h2 {
      font-size: 14.5px;
    }
    td,
    th {
      padding-top: 3px !important;
      padding-bottom: 3px !important;
    }
  }
`;
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

/** What of Make safe belongs on a sheet, with its words. */
const EVIDENCE = new Map([
  ['look', 'Seen on arrival'],
  ['crash-inspection', 'Seen on arrival'],
  ['quarantine', 'Kept'],
  ['live-dead-live', 'Proof before work'],
  ['pyro-evidence', 'Pyro fuse'],
  ['insulation-evidence', 'Insulation'],
  ['group-voltages', 'Lowest group'],
]);

/** The sheet the owner gets: what was wrong, found, done, measured, and what to expect. */
export function HandOverStage({ question }: StageProps) {
  const { job, findings, pack, person } = useJobView();
  const { data: stock } = useStock();
  const { data: session } = useSession();
  const { data: safety } = useSafety(job.number);
  const before = spreadOf(findings, 'before');
  const after = spreadOf(findings, 'after');
  const replace = decisionOf(job, 'replace');
  const match = decisionOf(job, 'match');
  const balance = decisionOf(job, 'balance');
  const prove = decisionOf(job, 'prove');
  const signed0 = decisionOf(job, 'hand-over');
  const [expectations, setExpectations] = useDraft(
    `${job.number}.expectations`,

    signed0?.body.expectations ??
      'For two weeks charge to full once a week and let it stand an hour, so that the balancing can finish. Come back if the range falls by more than 10 % or a warning lamp lights.',
  );
  const [notDone, setNotDone] = useDraft(
    `${job.number}.notDone`,

    signed0?.body.notDone ??
      'The other modules were not opened. They have aged alike and will go on doing so.',
  );
  const signing = useSigning('hand-over');
  if (!before || !replace)
    return (
      <Before
        question={question}
        title="Nothing to hand over yet"
        to={`/jobs/${job.number}/findings`}
        action="To the findings"
      >
        The sheet is written from the findings and decisions of the job.
      </Before>
    );
  const suspects = suspectsOf(before.report);
  const donor = stock?.find((s) => s.id === match?.body.stockId);
  const compared = findings.find((f) => f.topic === 'prove')?.result as Comparison | undefined;
  const plan = findings.find((f) => f.topic === 'balance')?.result as BalancePlan | undefined;
  const km = (v: number | null | undefined): string =>
    v === null || v === undefined ? '–' : `${fixed(v, 0)} km`;
  const mv = (v: number | null | undefined): string =>
    v === null || v === undefined ? '–' : `${fixed(v, 0)} mV`;
  return (
    <Print>
      <Screen>
        <h1>{question}</h1>
      </Screen>
      <Screen>
        {person.mayWrite && (
          <Sheet>
            <Stack>
              <Field>
                What to expect
                <TextArea
                  value={expectations}
                  maxLength={4000}
                  onChange={(e) => setExpectations(e.currentTarget.value)}
                />
              </Field>
              <Field>
                What was not done
                <TextArea
                  value={notDone}
                  maxLength={4000}
                  onChange={(e) => setNotDone(e.currentTarget.value)}
                />
              </Field>
            </Stack>
          </Sheet>
        )}
      </Screen>
      <Paper aria-label="Hand-over sheet">
        <header>
          <div>
            <h2 className="title">Hand-over: {job.title}</h2>
            <Mute>
              {session?.workshop} · job {job.number} · {day(signed0?.signedAt ?? new Date().toISOString())}
            </Mute>
          </div>
          <Mute>{pack.profile.name}</Mute>
        </header>
        <section>
          <h2>What was wrong</h2>
          <p>
            {(decisionOf(job, 'intake')?.body.complaint ?? job.complaint) || 'No complaint was written down.'}
          </p>
        </section>
        <section>
          <h2>What was found</h2>
          {suspects.length === 0 && <p>No channel stood out.</p>}
          {suspects.map((s) => (
            <p key={s.key}>
              {s.module}: {verdictName(s.verdict)}, {magnitude(s.worst)}
              {s.confidence !== null && `, ${percent(s.confidence)} sure`}.
            </p>
          ))}
        </section>
        <section>
          <h2>What was done</h2>
          <p>
            {replace.body.modules.length > 0
              ? `${replace.body.modules.join(', ')} replaced`
              : `No module replaced (${REPAIR_LEVELS[replace.body.level]})`}
            {donor
              ? ` by ${donor.label} (${donor.origin}; ${fixed(donor.capacityAh, 1)} A·h, ${fixed(donor.resistanceMilliohm, 2)} mΩ a group)`
              : ''}
            .
            {plan && balance
              ? ` ${plan.direction === 'none' ? 'It was level already.' : `${plan.direction === 'charge' ? 'Charged' : 'Discharged'} by ${fixed(plan.chargeAh, 1)} A·h to ${fixed(plan.targetModuleV, 2)} V ${balance.body.method === 'supply' ? `at ${balance.body.currentA} A` : 'by the bleeders'} to come level.`}`
              : ''}{' '}
            {replace.note}
          </p>
        </section>
        <section>
          <h2>Measured</h2>
          <DataTable>
            <thead>
              <tr>
                <th />
                <th className="r">Before</th>
                <th className="r">After</th>
              </tr>
            </thead>
            <tbody>
              <tr>
                <td>Delta near full</td>
                <td className="r">{mv(before.report.nearFull?.deltaMv)}</td>
                <td className="r">{mv(after?.report.nearFull?.deltaMv)}</td>
              </tr>
              <tr>
                <td>Delta near empty</td>
                <td className="r">{mv(before.report.nearEmpty?.deltaMv)}</td>
                <td className="r">{mv(after?.report.nearEmpty?.deltaMv)}</td>
              </tr>
              <tr>
                <td>Usable charge, rated {fixed(pack.profile.ratedCapacityAh, 0)} A·h</td>
                <td className="r">
                  <Figure of={before.report.usableAh} unit="A·h" />
                </td>
                <td className="r">{after ? <Figure of={after.report.usableAh} unit="A·h" /> : '–'}</td>
              </tr>
              <tr>
                <td>Range by charge, rated {km(pack.profile.ratedRangeKm)}</td>
                <td className="r">
                  <Figure of={before.report.usableKm} unit="km" />
                </td>
                <td className="r">{after ? <Figure of={after.report.usableKm} unit="km" /> : '–'}</td>
              </tr>
            </tbody>
          </DataTable>
          {compared && (
            <p>
              {compared.verdict}
              {compared.replacedNearEmptyMv !== null &&
                ` ${replace.body.modules.join(', ')} lies ${signed(compared.replacedNearEmptyMv, 0)} mV against the rest when low.`}{' '}
              {prove
                ? prove.body.passed
                  ? `Signed as proven by ${prove.signedBy}.`
                  : `Signed as not proven by ${prove.signedBy}.`
                : ''}
            </p>
          )}
        </section>
        {safety && safety.evidence.length > 0 && (
          <section>
            <h2>Made safe, and evidence kept</h2>
            {safety.evidence
              .filter((e) => EVIDENCE.has(e.kind) && !e.supersededBy)
              .map((e) => (
                <p key={e.id}>
                  {EVIDENCE.get(e.kind)}: {e.says}. {e.by}, {when(e.at)}.
                </p>
              ))}
          </section>
        )}
        <section>
          <h2>What to expect</h2>
          <p>{expectations}</p>
        </section>
        <section>
          <h2>Not done</h2>
          <p>{notDone}</p>
        </section>
        <section>
          <h2>Old modules</h2>
          <p>
            {replace.body.modules.length > 0
              ? `${replace.body.modules.join(', ')} stays with the workshop and goes to the licensed battery recycler unless agreed otherwise.`
              : 'None removed.'}
          </p>
        </section>
        <div className="sign">
          <div>{signed0 ? `${signed0.signedBy}, ${day(signed0.signedAt)}` : 'Technician'}</div>
          <div>Owner</div>
        </div>
      </Paper>
      <Screen>
        <Stack>
          <SignNote signing={signing} />
          <NextBar>
            <div>
              <b>{signed0 ? `Signed by ${signed0.signedBy}.` : 'Read it with the owner, then sign.'}</b>
              <br />
              One copy for the owner, one inside the file of the pack.
            </div>
            <Row>
              <Button quiet onPress={() => window.print()}>
                <Printer size={18} />
                Print
              </Button>
              <Button
                isDisabled={!signing.may || signing.busy}
                onPress={() =>
                  void signing.sign({
                    body: { topic: 'hand-over', expectations, notDone },
                    findingIds: [before.id, ...(after ? [after.id] : [])],
                  })
                }
              >
                {signed0 ? 'Sign again' : 'Sign sheet'}
              </Button>
            </Row>
          </NextBar>
        </Stack>
      </Screen>
    </Print>
  );
}
