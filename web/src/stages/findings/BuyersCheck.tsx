import { buyersCheck, type Judged } from '@cellmend/core/buyer';
import { lookUpCode } from '@cellmend/core/can';
import { Printer } from 'lucide-react';
import styled from 'styled-components';
import { decisionOf, spreadOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Answer, Button, DataTable, LinkButton, Mute, NextBar, Page, Sheet, Stack } from '../../ui/parts';
import { told } from '../../ui/units';
import { day, percent } from '../../ui/words';
import { useReadings } from '../notes/Readings';
import { newestCodes } from '../scan/Codes';

const Grade = styled.b<{ $of: Judged }>`
  display: inline-block;
  min-width: 74px;
  text-align: center;
  border-radius: 5px;
  padding: 2px 8px;
  border: 2px solid var(--edge);
  ${(p) => p.$of === 'good' && 'background: var(--mat-soft); border-color: var(--mat-text); color: var(--mat-text);'}
  ${(p) => p.$of === 'fair' && 'border-style: double; border-width: 4px; padding: 0 6px;'}
  ${(p) => p.$of === 'poor' && 'background: var(--sus-soft); border-color: var(--sus); color: var(--sus);'}
  ${(p) => p.$of === 'unknown' && 'border-style: dotted;'}
`;
const TITLES = {
  sound: 'The pack is sound',
  'with reserve': 'Buy with reserve',
  'leave it': 'Better leave it',
  'cannot tell yet': 'It cannot be told yet',
} as const;

/** One page for somebody who wants to buy: what was looked at, how it is judged, and what is lacking. */
export function BuyersCheck() {
  const { job, findings, pack, person } = useJobView();
  const { data: readings } = useReadings(job.number);
  const spread = spreadOf(findings, 'before');
  const intake = decisionOf(job, 'intake')?.body;
  if (!spread)
    return (
      <Page>
        <h1>Is this pack worth buying?</h1>
        <Sheet>
          <Stack>
            <h2>No scan yet</h2>
            <p>It takes a rested scan near full and one near empty; both are weighed together.</p>
            <div>
              <LinkButton to={`/jobs/${job.number}/scan`}>Take in a scan</LinkButton>
            </div>
          </Stack>
        </Sheet>
      </Page>
    );
  const typed = intake?.codes ?? [];
  const scanned = newestCodes(readings ?? []).map((r) => r.text);
  const codes = [...new Set([...typed, ...scanned])].map((code) => ({
    code,
    severity: lookUpCode(code)?.severity ?? null,
  }));
  const check = buyersCheck(spread.report, pack, {
    odometerKm: intake?.odometerKm ?? null,
    ageYears: intake?.ageYears ?? null,
    insulationOhm: intake?.insulationOhm ?? null,
    codes: codes.length > 0 || intake?.codesRead ? codes : null,
  });
  const { health } = spread.report;
  return (
    <Page>
      <h1>Is this pack worth buying?</h1>
      <Answer
        tone={check.verdict === 'sound' ? 'good' : check.verdict === 'cannot tell yet' ? 'plain' : 'suspect'}
        title={TITLES[check.verdict]}
        big={health.measured ? percent(health.value) : undefined}
        small={
          health.measured
            ? `of rated capacity, ${percent(health.low)} to ${percent(health.high)}`
            : 'capacity not measured'
        }
      >
        {check.because}
      </Answer>
      <Sheet>
        <DataTable>
          <thead>
            <tr>
              <th>Looked at</th>
              <th>Shows</th>
              <th>Judged</th>
              <th>Why</th>
            </tr>
          </thead>
          <tbody>
            {check.lines.map((l) => (
              <tr key={l.what}>
                <td>
                  <b>{l.what}</b>
                </td>
                <td>{told(l.shows)}</td>
                <td>
                  <Grade $of={l.judged}>{l.judged === 'unknown' ? '?' : l.judged}</Grade>
                </td>
                <td>
                  <Mute>{told(l.why)}</Mute>
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
        <Mute>
          {pack.profile.name}, job {job.number}, {day(new Date().toISOString())}, {person.name}. A judgement
          of what was measured, not a warranty; deltas and years are common practice, insulation is the
          published limit.
        </Mute>
      </Sheet>
      <NextBar>
        <div>
          <b>{check.lacking.length > 0 ? 'Still lacking' : 'Nothing is lacking'}</b>
          <br />
          {check.lacking.join(' ')}
        </div>
        <LinkButton $quiet to={`/jobs/${job.number}/findings`}>
          Findings
        </LinkButton>
        <Button onPress={() => window.print()}>
          <Printer size={18} />
          Print
        </Button>
      </NextBar>
    </Page>
  );
}
