import { REPAIR_LEVELS } from '@cellmend/contract/jobs';
import type { MatchRow } from '@cellmend/core/match';
import { TriangleAlert, X } from 'lucide-react';
import { useState } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import { useNavigate } from 'react-router';
import styled from 'styled-components';
import { decisionOf, spreadOf, useStock } from '../../api/hooks';
import { Awaiting } from '../../shell/Awaiting';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useFinding } from '../../shell/useFinding';
import { Answer, Button, LinkButton, Mute, NextBar, Page, ProblemNote, Row, Stack } from '../../ui/parts';
import { fixed, signed } from '../../ui/words';
import type { Measured } from '@cellmend/core/pack';
import { kmOf } from '@cellmend/core/spread';
import { Figure, measuredText } from '../../ui/Measured';
import type { StageProps } from '../props';
import { Before } from '../Before';

const Donor = styled(AriaButton)<{ $picked: boolean }>`
  width: 100%;
  text-align: left;
  background: var(--sheet);
  color: var(--ink);
  border: ${(p) => (p.$picked ? '2px solid var(--mat-text)' : '1px solid var(--line)')};
  padding: ${(p) => (p.$picked ? '11px 15px' : '12px 16px')};
  border-radius: 4px;
  cursor: pointer;
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 8px 16px;
  .label {
    font-size: 20px;
    font-weight: 700;
  }
  .rank {
    color: var(--mute);
    font-size: 13px;
  }
  dl {
    display: grid;
    grid-template-columns: repeat(4, 1fr);
    gap: 4px 16px;
    margin: 0;
  }
  dt {
    color: var(--mute);
    font-size: 13px;
  }
  dd {
    margin: 0;
    font-size: 18px;
    font-weight: 650;
    small {
      font-size: 13px;
      font-weight: 400;
      color: var(--mute);
      display: block;
    }
  }
  p {
    display: flex;
    gap: 7px;
    align-items: baseline;
    font-size: 14px;
    margin-top: 4px;
    svg {
      flex: none;
      position: relative;
      top: 2px;
    }
  }
`;

/** Donors from the shelf, ranked by how near they are to the rest of this pack. */
export function MatchStage({ question }: StageProps) {
  const { job, findings } = useJobView();
  const { data: stock } = useStock();
  const spread = spreadOf(findings, 'before');
  const replace = decisionOf(job, 'replace');
  const to = `/jobs/${job.number}`;
  if (!spread || !replace)
    return (
      <Before question={question} title="Nothing decided yet" to={`${to}/findings`} action="To the findings">
        Which module comes out is decided on the findings; then the shelf is ranked against what stays.
      </Before>
    );
  const moduleId = replace.body.modules[0];
  if (!moduleId)
    return (
      <Before question={question} title="No module comes out" to={`${to}/findings`} action="To the findings">
        The decision was “{REPAIR_LEVELS[replace.body.level]}”, so nothing has to match.
      </Before>
    );
  if (!stock) return <Awaiting question={question} />;
  if (stock.length === 0)
    return (
      <Before
        question={question}
        title="The shelf is empty"
        to={`${to}/findings`}
        action="Back to the findings"
      >
        No donor modules are in stock. Measured donors with capacity, resistance and rest voltage can be
        ranked here.
      </Before>
    );
  return (
    <Ranked
      question={question}
      moduleId={moduleId}
      more={replace.body.modules.length - 1}
      spreadId={spread.id}
      stockIds={stock.map((s) => s.id)}
    />
  );
}

function Ranked({
  question,
  moduleId,
  more,
  spreadId,
  stockIds,
}: {
  question: string;
  moduleId: string;
  more: number;
  spreadId: string;
  stockIds: string[];
}) {
  const { job, findings, pack } = useJobView();
  const { finding, problem } = useFinding<MatchRow[]>({
    topic: 'match',
    spreadFindingId: spreadId,
    moduleId,
    stockIds,
    temperatureC: null,
  });
  const decision = decisionOf(job, 'match');
  const [picked, setPicked] = useState<string | null>(decision?.body.stockId ?? null);
  const signing = useSigning('match');
  const navigate = useNavigate();
  if (problem)
    return (
      <Page>
        <h1>{question}</h1>
        <ProblemNote what={problem.message} />
      </Page>
    );
  if (!finding) return <Awaiting question={question} />;
  const rows = finding.result;
  const best = rows.find((r) => r.fits);
  const chosen = rows.find((r) => r.donor.id === (picked ?? best?.donor.id));
  const report = spreadOf(findings, 'before')!.report;
  const km = (ah: Measured): string => {
    const range = kmOf(ah, pack);
    return range.measured ? measuredText(range, 'km') : '';
  };
  const share = (v: number | null, digits: number): string =>
    v === null ? 'the pack’s is not measured' : `${signed(v * 100, digits)} %`;
  const sign = async (): Promise<void> => {
    if (
      chosen &&
      (await signing.sign({
        body: { topic: 'match', moduleId, stockId: chosen.donor.id },
        findingIds: [finding.id],
      }))
    )
      void navigate(`/jobs/${job.number}/balance`);
  };
  return (
    <Page>
      <h1>{question}</h1>
      {best ? (
        <Answer
          tone="good"
          title={`${best.donor.label} fits the place of ${moduleId} best`}
          big={best.usableAh.measured ? measuredText(best.usableAh, 'A·h') : undefined}
          small={
            best.usableAh.measured
              ? `usable when level${km(best.usableAh) && `, ${km(best.usableAh)}`}`
              : 'gain not measured'
          }
        >
          {best.capacityDeviation === null
            ? 'The capacity of the rest of this pack is not measured: the donor is ranked by what is known.'
            : `It holds ${share(best.capacityDeviation, 1)} against the rest of this pack.`}
          {best.resistanceDeviation !== null &&
            ` Its resistance is ${share(best.resistanceDeviation, 0)} off.`}
          {report.usableAh.measured && ` The pack gives ${measuredText(report.usableAh, 'A·h')} now.`}
        </Answer>
      ) : (
        <Answer tone="suspect" title={`Nothing on the shelf fits the place of ${moduleId}`}>
          Each donor has an obstacle; see below.
        </Answer>
      )}
      {more > 0 && (
        <Mute>
          {more} more {more === 1 ? 'module' : 'modules'} after this one.
        </Mute>
      )}
      <Stack $gap={8} role="group" aria-label="Donor modules">
        {rows.map((r, i) => (
          <Donor
            key={r.donor.id}
            $picked={chosen?.donor.id === r.donor.id}
            isDisabled={!r.fits}
            onPress={() => setPicked(r.donor.id)}
            aria-pressed={chosen?.donor.id === r.donor.id}
          >
            <div>
              <div className="label n">{r.donor.label}</div>
              <div className="rank">
                {r.fits ? (i === 0 ? 'nearest twin' : `rank ${i + 1}`) : 'does not fit'}
              </div>
            </div>
            <div>
              <dl>
                <div>
                  <dt>Capacity</dt>
                  <dd>
                    {fixed(r.donor.capacityAh, 1)} A·h<small>{share(r.capacityDeviation, 1)}</small>
                  </dd>
                </div>
                <div>
                  <dt>Resistance per group</dt>
                  <dd>
                    {fixed(r.donor.resistanceMilliohm, 2)} mΩ
                    <small>{share(r.resistanceDeviation, 0)}</small>
                  </dd>
                </div>
                <div>
                  <dt>Rest voltage</dt>
                  <dd>
                    {fixed(r.donor.restVoltageV, 2)} V
                    <small>{signed(r.voltageDeviationMv, 0)} mV a group</small>
                  </dd>
                </div>
                <div>
                  <dt>Usable with it</dt>
                  <dd>
                    <Figure of={r.usableAh} unit="A·h" digits={1} />
                    <small>{km(r.usableAh)}</small>
                  </dd>
                </div>
              </dl>
              <p>
                <Mute>{r.donor.origin}</Mute>
              </p>
              {r.obstacles.map((o) => (
                <p key={o}>
                  <X size={15} aria-hidden />
                  {o}
                </p>
              ))}
              {r.remarks.map((o) => (
                <p key={o}>
                  <TriangleAlert size={15} aria-hidden />
                  {o}
                </p>
              ))}
            </div>
          </Donor>
        ))}
      </Stack>
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>{chosen ? `${chosen.donor.label} for ${moduleId}` : 'Pick a donor'}</b>
          <br />
          {chosen &&
            `It has to move ${fixed(Math.abs(chosen.balanceAh), 1)} A·h to come level with the pack as it stood at the end of the scan.`}
        </div>
        <Row>
          {decision && (
            <LinkButton $quiet to={`/jobs/${job.number}/balance`}>
              Balance
            </LinkButton>
          )}
          <Button isDisabled={!chosen?.fits || !signing.may || signing.busy} onPress={() => void sign()}>
            {decision ? 'Sign again' : 'Sign choice'}
          </Button>
        </Row>
      </NextBar>
    </Page>
  );
}
