import type { Decision } from '@cellmend/contract/decisions';
import { decisionWords } from '@cellmend/contract/words';
import type { InsulationReport } from '@cellmend/core/insulation';
import { placesOf } from '@cellmend/core/route';
import { useState } from 'react';
import { decisionOf, leakOf, spreadOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import {
  Answer,
  Button,
  Columns,
  LinkButton,
  Mute,
  NextBar,
  Page,
  PlainList,
  ProblemNote,
  Row,
  Sheet,
  Stack,
} from '../../ui/parts';
import { fixed, percent, unbroken, upper } from '../../ui/words';
import { useWrite } from '../../shell/useWrite';
import { HereBefore } from '../HereBefore';
import { MapVerdict } from '../MapVerdict';
import { useMapOpen } from '../mapOpen';
import type { StageProps } from '../props';
import { Decide } from './Decide';
import { chargeDigits, measuredText } from '../../ui/Measured';
import { costOf, headline, offeredOf, suspectsOf } from './view';
import { useTrackRecord } from '../../learn/WasItSo';
import { useJointsMeasured } from './JointsMeasured';
import { useWithMemory } from '../../learn/withMemory';
import { Harmless, Item, SuspectRow } from './Suspects';
import { Extremes, Settled } from './Beyond';
import { Figures, WhyThis } from './Tables';
import styled from 'styled-components';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';

const BenchFound = lazyChart<
  PropsOf<typeof import('./BenchFound').BenchFound>,
  typeof import('./BenchFound')
>(() => import('./BenchFound'), 'BenchFound', 0);
const Evidence = lazyChart<PropsOf<(typeof import('./Evidence'))['Evidence']>, typeof import('./Evidence')>(
  () => import('./Evidence'),
  'Evidence',
  420,
);

/** The evidence stays in view beside the reasons, however many are opened. */
const Beside = styled.div`
  min-width: 0;
  @media (min-width: 1001px) {
    position: sticky;
    top: 8px;
    align-self: start;
  }
`;

/** Where a leak was found, and whether that is all. */
const leakTitle = ({ found, more }: Pick<InsulationReport, 'found' | 'more'>): string =>
  `High voltage reaches the chassis at ${found}${more ? ', and at one more place at least' : ''}`;

/** Suspects in order of what they cost, why, and the next best test. */
export function FindingsStage({ question }: StageProps) {
  const { job, findings, pack, select, selected, person } = useJobView();
  const [open, setOpen] = useState<string | null>(null);
  // Whoever comes from the owner's choice has the list open.
  const [deciding, setDeciding] = useState(
    person.mayWrite && new URLSearchParams(location.search).has('decide'),
  );
  const [table, setTable] = useState(false);
  const [why, setWhy] = useState(false);
  const anew = useWrite();
  const spread = spreadOf(findings, 'before');
  const leak = leakOf(findings);
  const leaking = leak?.report.found?.split(' and ') ?? [];
  const decided = decisionOf(job, 'measures');
  const recordOf = useTrackRecord(job.number);
  const remembered = useWithMemory(spread?.report ?? null);
  const mapOpen = useMapOpen(job.number);
  const joints = useJointsMeasured(spread?.report);
  if (!spread) {
    return (
      <Page>
        <h1>{question}</h1>
        {leak && leaking.length > 0 && (
          <>
            <Answer tone="suspect" title={leakTitle(leak.report)}>
              {leak.report.text} No scan yet: range and balance are not known.
            </Answer>
          </>
        )}
        <BenchFound />
        <HereBefore suspects={leaking} />
        {decided && <Decided decision={decided} />}
        {(deciding || (leaking.length > 0 && !decided)) && (
          <Decide
            report={null}
            findingIds={leak ? [leak.id] : []}
            offered={leaking}
            onDone={() => setDeciding(false)}
          />
        )}
        <Sheet>
          <Stack>
            <h2>No scan yet</h2>
            <p>
              Findings come from a scan: near full and near empty in one record tells capacity from balance.
            </p>
            <Row>
              <LinkButton to={`/jobs/${job.number}/scan`}>Take in a scan</LinkButton>
              {!deciding && (leaking.length === 0 || decided) && person.mayWrite && (
                <Button quiet onPress={() => setDeciding(true)}>
                  {decided ? 'Decide again' : 'Decide without a scan'}
                </Button>
              )}
            </Row>
          </Stack>
        </Sheet>
      </Page>
    );
  }
  const { report } = spread;
  const suspects = suspectsOf(report);
  const first = suspects[0];
  const agree = pack.modules.filter(
    (m) => !report.findings.some((f) => f.module.split(' + ').includes(m.id)),
  ).length;
  const healthy = report.channels.filter(
    (c) => !report.findings.some((f) => f.channelIndex === c.channelIndex),
  );
  /** How far the healthy channels are apart, of those that the record measures; empty where it measures none. */
  const within = (
    name: string,
    pick: (c: (typeof healthy)[number]) => number | undefined,
    digits: number,
  ): string => {
    const known = healthy.flatMap((c) => pick(c) ?? []);
    return known.length < healthy.length || known.length === 0
      ? `${name} not measured`
      : `${name} within ${percent(Math.max(...known.map((v) => Math.abs(v - 1))), digits)}`;
  };
  const agreement = [
    within('capacity', (c) => c.capacityRatio?.value, 1),
    within('resistance', (c) => c.resistanceRatio?.value, 0),
  ].join(', ');
  const head = first && headline(first, report);
  const { usableAh, mendedAh } = report;
  const ah = (v: number): string => fixed(v, chargeDigits(pack.profile.ratedCapacityAh));
  const lost = usableAh.measured && mendedAh.measured ? mendedAh.value - usableAh.value : 0;
  const beyond = report.pack.verdict === 'over-discharged' || report.pack.verdict === 'over-charged';
  const stale =
    (findings.find((f) => f.id === spread.id)?.profileVersion ?? job.packVersion) < job.packVersion;
  const inputs = findings.find((f) => f.id === spread.id)?.inputIds ?? [];
  const scanIds = job.scans.filter((k) => inputs.includes(k.id)).map((k) => k.id);
  return (
    <Page>
      <h1>{question}</h1>
      {leak && leaking.length > 0 && (
        <Answer tone="suspect" title={leakTitle(leak.report)}>
          {leak.report.text}
        </Answer>
      )}
      {beyond ? (
        <Answer tone="hot" title={`The whole pack is ${report.pack.verdict}`}>
          {report.pack.reasons.join(' ')}
        </Answer>
      ) : first && head ? (
        <Answer
          tone="suspect"
          title={head.title}
          big={costOf(first) && `−${costOf(first)}`}
          small={
            mapOpen
              ? 'place open: two maps fit'
              : first.confidence === null
                ? 'cause open'
                : `confidence ${percent(first.confidence)}`
          }
        >
          {unbroken(head.text)}
        </Answer>
      ) : (
        <Answer
          tone="good"
          title={report.pack.verdict === 'aged' ? 'The pack has aged, but evenly' : 'No channel stands out'}
          big={report.capacityAh.measured ? measuredText(report.capacityAh, 'A·h') : undefined}
          small={
            report.capacityAh.measured
              ? `${[report.capacityAh.low, report.capacityAh.high].map(ah).join(' to ')} of ${ah(pack.profile.ratedCapacityAh)} rated`
              : 'capacity not measured'
          }
        >
          {report.pack.verdict === 'aged'
            ? 'Every group holds much less than when new. Swapping one module cannot bring it back.'
            : 'All groups agree within what healthy groups differ by, in what was recorded.'}
          {!report.capacityAh.measured &&
            ` Capacity is not measured. ${report.capacityAh.why} ${report.capacityAh.test}`}
        </Answer>
      )}
      {mapOpen && <MapVerdict />}
      <BenchFound />
      <HereBefore suspects={suspects.flatMap((x) => x.module.split(' + '))} />
      {(report.contradicts ?? []).map((text) => (
        <p key={text}>{text}</p>
      ))}
      {(report.judged ?? []).length > 0 && <Mute>{report.judged!.join(' ')}</Mute>}
      <Columns $of="1.35fr 1fr">
        <Beside>
          {beyond ? <Settled report={report} /> : <Evidence report={report} scanIds={scanIds} />}
        </Beside>
        <PlainList>
          {suspects.map((s) => (
            <SuspectRow
              record={[
                recordOf(s.verdict, s.confidence),
                remembered.of(s.module.split(' + ')[0]!, report.findings),
              ]
                .filter(Boolean)
                .join(' · ')}
              key={s.key}
              suspect={s}
              placeOpen={mapOpen}
              open={open === s.key}
              onPress={() => {
                setOpen(open === s.key ? null : s.key);
                const m = pack.modules.find((k) => k.id === s.module.split(' + ')[0]);
                if (m) select(m.index);
              }}
            />
          ))}
          <Harmless differences={report.differences ?? []} />
          {!beyond && (
            <li>
              <Item $suspect={false} onPress={() => setTable(!table)} aria-expanded={table}>
                <b className="n">{agree}</b>
                <b>{agree === 1 ? 'Module agrees' : 'Modules agree'}</b>
                <b />
                <span>{agreement} · figures</span>
              </Item>
            </li>
          )}
          {beyond && <Extremes report={report} />}
        </PlainList>
      </Columns>
      {stale && (
        <Sheet>
          <Stack>
            <p>
              The pack profile was changed since this was computed (version{' '}
              {findings.find((f) => f.id === spread.id)?.profileVersion} of {job.packVersion}). What was found
              then stays as it is.
            </p>
            {person.mayWrite && (
              <div>
                <Button quiet isDisabled={anew.busy} onPress={() => void anew.run('/findings/anew', {})}>
                  Compute anew with the profile as it is now
                </Button>
              </div>
            )}
            {anew.problem && <ProblemNote what={anew.problem.what} accepted={anew.problem.accepted} />}
          </Stack>
        </Sheet>
      )}
      {table && <Figures only={selected} />}
      {why && <WhyThis report={report} />}
      {decided && <Decided decision={decided} />}
      {deciding ? (
        <Decide
          report={report}
          findingIds={[spread.id]}
          offered={offeredOf(suspects, leaking)}
          onDone={() => setDeciding(false)}
        />
      ) : (
        <NextBar>
          <div>
            <b>{joints ? 'Measured' : 'Next best test'}</b>
            <br />
            {joints ?? report.nextTest}
            {remembered.next && (
              <>
                <br />
                <Mute>With what is remembered of such packs: {remembered.next}</Mute>
              </>
            )}
            {lost > 0.5 &&
              ` All suspects mended would give ${measuredText(mendedAh, 'A·h')} instead of ${measuredText(usableAh, 'A·h')}.`}
          </div>
          {report.tests.length > 0 && (
            <Button quiet onPress={() => setWhy(!why)}>
              Why this one
            </Button>
          )}
          {decided && placesOf(decided.body.measures, 'replace-module').length > 0 && (
            <LinkButton $quiet to={`/jobs/${job.number}/match`}>
              Match a module
            </LinkButton>
          )}
          {person.mayWrite && (
            <Button onPress={() => setDeciding(true)}>
              {decided ? 'Decide again' : first ? `Decide on ${first.module}` : 'Decide'}
            </Button>
          )}
        </NextBar>
      )}
    </Page>
  );
}

/** What was signed, and by whom. */
function Decided({ decision }: { decision: Decision }) {
  return (
    <Sheet>
      <h3>Decision, version {decision.version}</h3>
      <p>
        {upper(decisionWords(decision.body))}. Signed by {decision.signedBy}.
        {decision.note && ` ${decision.note}`}
      </p>
    </Sheet>
  );
}
