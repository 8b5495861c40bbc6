import type { AskOf, ResultOf } from '@cellmend/contract/findings';
import { notProven, type SagCheck } from '@cellmend/core/prove';
import { placesOf } from '@cellmend/core/route';
import { useState } from 'react';
import { ApiProblem } from '../../api/client';
import { decisionOf, spreadOf } from '../../api/hooks';
import { Waited } from '../../shell/Awaiting';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Field, Input } from '../../ui/Field';
import { Proofs } from './Proofs';
import { keepFinding, useTried } from '../../shell/useTried';
import {
  Answer,
  Button,
  Columns,
  DataTable,
  LinkButton,
  Mute,
  NextBar,
  Page,
  ProblemNote,
  Row,
  Sheet,
  Stack,
} from '../../ui/parts';
import { distance, distanceUnit, inDistance } from '../../ui/units';
import { fixed, percent, signed } from '../../ui/words';
import { changeOf } from '@cellmend/core/pack';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { Figure, measuredText } from '../../ui/Measured';
import type { StageProps } from '../props';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';
import { useOnward } from '../../shell/useOnward';

const EndsChart = lazyChart<
  PropsOf<(typeof import('./EndsChart'))['EndsChart']>,
  typeof import('./EndsChart')
>(() => import('./EndsChart'), 'EndsChart', 250);

/** The record after the repair against the one before, near full and near empty. */
export function ProveStage({ question }: StageProps) {
  const { job, findings } = useJobView();
  const before = spreadOf(findings, 'before');
  const after = spreadOf(findings, 'after');
  const ask: AskOf<'prove'> | null =
    before && after
      ? {
          topic: 'prove',
          beforeFindingId: before.id,
          afterFindingId: after.id,
          replacedModules: placesOf(decisionOf(job, 'measures')?.body.measures ?? [], 'replace-module'),
        }
      : null;
  const { result, problem } = useTried(ask);
  const c = ask && !problem ? result : null;
  const waits = ask !== null && !c && !problem;
  return (
    <Page aria-busy={waits || undefined}>
      <h1>{question}</h1>
      {!ask && <NoScan title={before ? 'No scan after the repair yet' : 'No scan yet'} />}
      {problem && <ProblemNote what={problem.message} />}
      {waits && <Waited />}
      {c && <Compared c={c} before={before!.report} after={after!.report} ask={ask!} />}
      {/* Once, whatever stands above it: a finding that arrives closes nothing that is being typed. */}
      <Proofs />
      {c && <Signed c={c} ask={ask!} />}
    </Page>
  );
}

function NoScan({ title }: { title: string }) {
  const { job } = useJobView();
  return (
    <Sheet>
      <Stack>
        <h2>{title}</h2>
        <p>A repair is proven by the same record again: near full and near empty, in one drive.</p>
        <div>
          <LinkButton to={`/jobs/${job.number}/scan`}>Take in a scan</LinkButton>
        </div>
      </Stack>
    </Sheet>
  );
}

type Comparison = ResultOf<'prove'>;

function Compared({
  c,
  before,
  after,
  ask: { replacedModules: replaced },
}: {
  c: Comparison;
  before: SpreadReport;
  after: SpreadReport;
  ask: AskOf<'prove'>;
}) {
  const { pack } = useJobView();
  const gain = changeOf(before.usableAh, after.usableAh);
  const km = changeOf(before.usableKm, after.usableKm);
  const alike = gain === null && before.usableAh.measured && after.usableAh.measured;
  const bars = c.ends
    .filter((e) => e.afterMv !== null || e.beforeMv !== null)
    .map((e) => ({
      end: e.end,
      before: e.beforeMv === null ? null : Math.round(e.beforeMv),
      after: e.afterMv === null ? null : Math.round(e.afterMv),
    }));
  const mv = (v: number | null): string =>
    v === null
      ? 'no rest there'
      : `${fixed(v, 0)}${c.readsWithinMv === undefined ? '' : ` ± ${fixed(c.readsWithinMv, 0)}`} mV`;
  return (
    <>
      <Answer
        tone={c.passed ? 'good' : 'suspect'}
        title={c.verdict}
        big={
          km !== null
            ? `${km > 0 ? '+' : ''}${distance(km)}`
            : gain !== null
              ? `${signed(gain, 1)} A·h`
              : undefined
        }
        small={`usable: ${measuredText(after.usableAh, 'A·h')}, was ${measuredText(before.usableAh, 'A·h')}`}
      >
        {c.replacedMeaning ?? 'No module was replaced.'}
        {alike && ' Usable charge is alike before and after, within the errors of both.'}
        {c.stillOdd.length > 0 &&
          ` By charge, apart from the others at an end: ${c.stillOdd.slice(0, 6).join(', ')}.`}
      </Answer>
      <Columns $of="1fr 1.2fr">
        <Sheet>
          <h3>Delta between highest and lowest group</h3>
          <EndsChart bars={bars} />
        </Sheet>
        <Sheet>
          <DataTable>
            <thead>
              <tr>
                <th>Compared at rest</th>
                <th className="r">Before</th>
                <th className="r">After</th>
              </tr>
            </thead>
            <tbody>
              {c.ends.map((e) => (
                <tr key={e.end}>
                  <td>
                    Delta {e.end}
                    {e.afterSoc !== null && <Mute> at {percent(e.afterSoc)}</Mute>}
                  </td>
                  <td className="r">{mv(e.beforeMv)}</td>
                  <td className="r">
                    <b>{mv(e.afterMv)}</b>
                  </td>
                </tr>
              ))}
              <tr>
                <td>Usable charge</td>
                <td className="r">
                  <Figure of={before.usableAh} unit="A·h" digits={1} stacked />
                </td>
                <td className="r">
                  <b>
                    <Figure of={after.usableAh} unit="A·h" digits={1} stacked />
                  </b>
                </td>
              </tr>
              {pack.profile.ratedRangeKm !== undefined && (
                <tr>
                  <td>Range</td>
                  <td className="r">
                    <Figure of={inDistance(before.usableKm)} unit={distanceUnit()} stacked />
                  </td>
                  <td className="r">
                    <b>
                      <Figure of={inDistance(after.usableKm)} unit={distanceUnit()} stacked />
                    </b>
                  </td>
                </tr>
              )}
              <tr>
                <td>Odd channels</td>
                <td className="r">{before.findings.length}</td>
                <td className="r">
                  <b>{after.findings.length}</b>
                </td>
              </tr>
              {c.newcomers?.map((n) => (
                <tr key={n.module}>
                  <td>
                    {n.module} against the rest{' '}
                    <Mute>
                      {[
                        n.nearFullMv !== null && `${signed(n.nearFullMv, 0)} mV near full`,
                        n.nearEmptyMv !== null && `${signed(n.nearEmptyMv, 0)} mV near empty`,
                      ]
                        .filter(Boolean)
                        .join(', ')}
                    </Mute>
                  </td>
                  <td />
                  <td className="r">
                    <b>
                      <Figure of={n.capacityAh} unit="A·h" digits={1} stacked />
                    </b>
                  </td>
                </tr>
              )) ??
                (c.replacedNearEmptyMv !== null && (
                  <tr>
                    <td>{replaced.join(', ')} against the rest when low</td>
                    <td />
                    <td className="r">
                      <b>{signed(c.replacedNearEmptyMv, 0)} mV</b>
                    </td>
                  </tr>
                ))}
            </tbody>
          </DataTable>
        </Sheet>
      </Columns>
      {c.sag && <UnderLoad sag={c.sag} />}
      {c.span && (
        <Mute>
          Seen from {percent(c.span.fromSoc)} to {percent(c.span.toSoc)} of charge. {c.span.still}
        </Mute>
      )}
    </>
  );
}

/** What is still open, who signed, and the signature. */
function Signed({ c, ask }: { c: Comparison; ask: AskOf<'prove'> }) {
  const { job, person } = useJobView();
  const [keeping, setKeeping] = useState<string | null>(null);
  const { failed, open } = notProven(job.proofs);
  const [why, setWhy] = useDraft(`${job.number}.prove.open`, '');
  const signing = useSigning('prove');
  const mayProve =
    failed.length === 0 && (open.length === 0 || (person.role === 'lead' && why.trim().length >= 3));
  const decision = decisionOf(job, 'prove');
  const onward = useOnward();
  const sign = async (passed: boolean): Promise<void> => {
    setKeeping(null);
    const finding = await keepFinding(job.number, ask).catch((e: unknown) => {
      setKeeping(e instanceof ApiProblem ? e.message : 'The server is away. Sign again: it is stored once.');
      return null;
    });
    if (!finding) return;
    if (
      await signing.sign({
        body: { topic: 'prove', passed, open: passed && open.length > 0 ? why.trim() : '' },
        findingIds: [finding.id],
      })
    )
      onward(`/jobs/${job.number}/${passed ? 'hand-over' : 'findings'}`);
  };
  return (
    <>
      {open.length > 0 && failed.length === 0 && c.passed && (
        <Sheet aria-label="Signed with something open">
          <Field>
            {open.length === 1 ? 'One thing is' : `${open.length} things are`} still to be seen. Why it goes
            back all the same; a lead signs it, and the sheets print it.
            <Input
              value={why}
              maxLength={500}
              disabled={person.role !== 'lead'}
              onChange={(e) => setWhy(e.target.value)}
            />
          </Field>
        </Sheet>
      )}
      {decision && (
        <Sheet>
          <p>
            {decision.body.passed ? 'Signed as proven' : 'Signed as not proven'} by {decision.signedBy},
            version {decision.version}.{decision.body.open && ` With something open: ${decision.body.open}`}
          </p>
        </Sheet>
      )}
      {keeping && <ProblemNote what={keeping} />}
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>
            {c.passed
              ? failed.length > 0
                ? `${failed[0]!.need} is not right: mend it, or sign as not proven.`
                : open.length > 0
                  ? `Next: ${open[0]!.need}${open[0]!.place && ` ${open[0]!.place}`}`
                  : job.proofs.length === 0
                    ? 'Both ends are within their limits. What else proves it follows from what is decided.'
                    : 'Everything that proves it was seen: sign.'
              : 'Find out what is left before it goes back.'}
          </b>
          <br />
          <Mute>
            Limits: {'≤'} 45 mV near full, {'≤'} 100 mV near empty. Common practice; the maker’s figure wins.
          </Mute>
        </div>
        <Row>
          {open.some((p) => p.id === 'road-test' || p.id === 'charge') && (
            <LinkButton $quiet to={`/jobs/${job.number}/scan?view=live`}>
              Log it live
            </LinkButton>
          )}
          {decision?.body.passed && (
            <LinkButton $quiet to={`/jobs/${job.number}/hand-over`}>
              Hand over
            </LinkButton>
          )}
          <Button quiet isDisabled={!signing.may || signing.busy} onPress={() => void sign(false)}>
            Not proven
          </Button>
          <Button
            isDisabled={!signing.may || signing.busy || !c.passed || !mayProve}
            onPress={() => void sign(true)}
          >
            Sign as proven
          </Button>
        </Row>
      </NextBar>
    </>
  );
}

/** How far it sags under the strongest pull, against what a simulation of its resistances expects. */
function UnderLoad({ sag }: { sag: SagCheck }) {
  return (
    <Sheet aria-label="Sag under load">
      <h3>
        Sag at {fixed(sag.currentA, 0)} A{' '}
        <Mute>over {fixed(sag.lastedS, 0)} s, the strongest pull of the record after the repair</Mute>
      </h3>
      <DataTable>
        <thead>
          <tr>
            <th>Channel</th>
            <th className="r">Expected by its resistance</th>
            <th className="r">Seen</th>
          </tr>
        </thead>
        <tbody>
          {sag.rows.map((r) => (
            <tr key={r.of}>
              <td>{r.of === 'typical' ? 'Typical of those that stayed' : `${r.of}, by its bench figure`}</td>
              <td className="r">
                {fixed(r.expectedMv.low, 0)} to {fixed(r.expectedMv.high, 0)} mV
              </td>
              <td className="r">
                <b>
                  {fixed(r.seenMv, 0)} mV{r.off && `, ${r.off}`}
                </b>
              </td>
            </tr>
          ))}
        </tbody>
      </DataTable>
      <Mute>{sag.says}</Mute>
    </Sheet>
  );
}
