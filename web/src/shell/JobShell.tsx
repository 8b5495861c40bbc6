import { PHASES, type Stage } from '@cellmend/core/route';
import type { Person } from '@cellmend/contract/people';
import { GATED_STAGES, STAGE_FACTS } from '@cellmend/core/route';
import { chemistryName, normalisePack, type PackProfile } from '@cellmend/core/pack';
import { Suspense, useDeferredValue, useEffect, useMemo, useState, useSyncExternalStore } from 'react';
import { ChevronDown, CloudOff } from 'lucide-react';
import { Button as AriaButton } from 'react-aria-components';
import { Navigate, NavLink, useNavigate, useParams } from 'react-router';
import styled from 'styled-components';
import { useAwaySince } from '../api/live';
import { decisionOf, useFindings, useJob, useRefresh, useSession } from '../api/hooks';
import { ApiProblem, isKept } from '../api/client';
import { stopWaiting, subscribe, waitingNow } from '../api/queue';
import { Caught } from './Caught';
import { Awaiting } from './Awaiting';
import { closedHere, GATE_UNKNOWN } from './closedHere';
import { NOTES, STAGE_VIEWS } from '../stages';
import { StageSteps } from '../stages/work/StageSteps';
import { Footer, useJotRef } from './Footer';
import { lazily } from './lazily';
import { KeyHelp, useKeys } from './keys';
import { Mute, Page, ProblemNote } from '../ui/parts';
import { Account, Bar, Brand, Right, SafetyLamp, Skip, Stop, Vehicle } from './Header';
import { useHeading } from './useHeading';
import { StopDialog } from './StopDialog';
import { Closed } from './Closed';
import { JobContext, type JobView } from './jobContext';
import { PackAside } from './PackAside';
import { when } from '../ui/words';
import { mapShown } from './preferences';

const BuyersCheck = lazily<object, typeof import('../buyer/BuyersCheck')>(
  () => import('../buyer/BuyersCheck'),
  'BuyersCheck',
);
const OptionsPage = lazily<object, typeof import('../options/OptionsPage')>(
  () => import('../options/OptionsPage'),
  'OptionsPage',
);
const Timeline = lazily<object, typeof import('./Timeline')>(() => import('./Timeline'), 'Timeline');
const Walk = lazily<Parameters<(typeof import('./Walk'))['Walk']>[0], typeof import('./Walk')>(
  () => import('./Walk'),
  'Walk',
);

const Grid = styled.div<{ $map: boolean }>`
  display: grid;
  height: 100%;
  grid-template: 56px minmax(0, 1fr) 52px / 196px minmax(0, 1fr) ${(p) => (p.$map ? '372px' : '56px')};
  /* Its parts scroll, never the whole: lamp and Stop stay where they are. */
  overflow: clip;
  @media (max-width: 1000px) {
    overflow: visible;
    grid-template: auto auto 1fr auto auto / minmax(0, 1fr);
    height: auto;
    min-height: 100%;
  }
  @media print {
    display: block;
    height: auto;
    overflow: visible;
  }
`;
/** On a narrow screen the route is behind its present stage. */
const RouteToggle = styled(AriaButton)`
  display: none;
  align-items: center;
  gap: 9px;
  width: 100%;
  min-height: 48px;
  padding: 0 20px;
  border: 0;
  border-bottom: 1px solid var(--line);
  background: var(--rail);
  font-weight: 650;
  cursor: pointer;
  svg {
    margin-left: auto;
  }
  @media (max-width: 1000px) {
    display: flex;
  }
  @media print {
    display: none;
  }
`;
const RouteBox = styled.div`
  min-width: 0;
  display: contents;
  @media (max-width: 1000px) {
    display: block;
  }
`;
const Rail = styled.nav<{ $open: boolean }>`
  padding: 14px 0 14px 14px;
  border-right: 1px solid var(--line);
  background: var(--rail);
  overflow: auto;
  h3 {
    margin: 10px 0 4px;
    font-size: var(--t-xs);
    color: var(--mute);
    font-weight: 600;
  }
  > div:first-child h3 {
    margin-top: 0;
  }
  a {
    display: flex;
    align-items: center;
    gap: 9px;
    padding: 6px 8px;
    border-radius: 6px 0 0 6px;
    color: var(--ink);
    text-decoration: none;
    min-height: 36px;
  }
  a.active {
    background: var(--sheet);
    font-weight: 700;
    box-shadow: inset 3px 0 0 var(--mat-text);
  }
  small {
    margin-left: auto;
    color: var(--mute);
    font-size: var(--t-xs);
    white-space: nowrap;
  }
  @media (max-width: 1000px) {
    display: ${(p) => (p.$open ? 'grid' : 'none')};
    grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
    gap: 0 14px;
    padding: 8px 14px;
    border-bottom: 1px solid var(--line);
    a {
      min-height: 44px;
    }
  }
  @media print {
    display: none;
  }
`;
const Mark = styled.i<{ $state: string }>`
  width: 14px;
  height: 14px;
  flex: none;
  border: 2px solid var(--mute);
  border-radius: 3px;
  ${(p) => p.$state === 'nothing' && 'border-style: dotted;'}
  ${(p) => p.$state === 'done' && 'background: var(--mat-text); border-color: var(--mat-text);'}
  ${(p) => p.$state === 'work' && 'border-color: var(--mat-text); background: linear-gradient(90deg, var(--mat-text) 50%, transparent 50%);'}
  ${(p) => p.$state === 'blocked' && 'border-style: dashed;'}
  ${(p) => p.$state === 'gate' && 'border-style: dashed; border-color: var(--hot);'}
  ${(p) => p.$state === 'reopened' && 'border-color: var(--sus); background: linear-gradient(135deg, var(--sus) 50%, transparent 50%);'}
`;
const Middle = styled.main`
  /* What is out of sight for the eye alone lies within what scrolls. */
  position: relative;
  overflow: auto;
  min-width: 0;
  @media print {
    overflow: visible;
  }
`;
const Away = styled.p`
  position: sticky;
  top: 0;
  z-index: 2;
  margin: 0;
  padding: 8px 20px;
  display: flex;
  gap: 10px;
  align-items: center;
  background: var(--ink);
  color: var(--sheet);
`;
const WORDS: Record<string, string> = {
  nothing: 'nothing yet',
  work: 'in work',
  blocked: 'blocked',
  done: 'done',
  reopened: 'reopened',
};

/** The job: route on the left, the stage at hand, the pack on the right. */
export function JobShell({ person }: { person: Person }) {
  const params = useParams();
  const number = Number(params.number);
  const { data: stored, error } = useJob(number);
  const awaySinceMs = useAwaySince();
  // Not the whole queue: the page is drawn anew when a stop comes or goes, not with every entry.
  const stopped = useSyncExternalStore(subscribe, () => stopWaiting(waitingNow(), number));
  // A stop that the server does not know of yet closes the gate here all the same.
  const kept = stored !== undefined && isKept(stored);
  const job = useMemo(
    () =>
      stored && stopped
        ? closedHere(stored)
        : stored && kept && stored.gate.holds
          ? closedHere(stored, GATE_UNKNOWN)
          : stored,
    [stored, stopped, kept],
  );
  const { data: found } = useFindings(number);
  // Findings of many channels take long to draw: a key press goes before them.
  const findings = useDeferredValue(found);
  const refresh = useRefresh(number);
  const demo = useSession().data?.demo ?? false;
  const [selected, select] = useState<number | null>(null);
  const [shown] = mapShown.use();
  // By its text, not by its object: a job that is read again leaves the pack and its map as they are.
  const profile = useMemo(() => job && JSON.stringify(job.pack), [job]);
  const pack = useMemo(
    () => (profile === undefined ? undefined : normalisePack(JSON.parse(profile) as PackProfile)),
    [profile],
  );
  const [dialog, setDialog] = useState<'walk' | 'keys' | 'stop' | null>(null);
  const [route, setRoute] = useState(false);
  const jotRef = useJotRef();
  useHeading(params.stage ?? '');
  // A Stop leads to Make safe: that page is here whatever becomes of the server.
  useEffect(() => void import('../stages/make-safe/MakeSafeStage').catch(() => undefined), []);
  const navigate = useNavigate();
  useKeys({
    jot: () => jotRef.current?.focus(),
    type: (text) => {
      const input = jotRef.current;
      if (!input) return;
      input.focus();
      input.value += text;
      input.dispatchEvent(new Event('input', { bubbles: true }));
    },
    walk: () => person.mayWrite && setDialog('walk'),
    help: () => setDialog('keys'),
    stop: () => setDialog('stop'),
    stage: (id) => void navigate(`/jobs/${number}/${id}`),
    step: (by) => {
      if (!pack) return;
      const order = [...pack.modules]
        .sort(
          (a, b) =>
            a.place.tier - b.place.tier || a.place.column - b.place.column || a.place.row - b.place.row,
        )
        .map((m) => m.index);
      const at = selected === null ? (by > 0 ? -1 : 0) : order.indexOf(selected);
      select(order[(at + by + order.length) % order.length]!);
    },
  });
  const view = useMemo(
    (): JobView | null =>
      job && pack && findings ? { job, pack, findings, person, demo, selected, select, refresh } : null,
    [job, pack, findings, person, demo, selected, refresh],
  );
  if (error instanceof ApiProblem && error.problem.status === 404) {
    return (
      <Page as="main">
        <h1>There is no job {params.number}</h1>
        <ProblemNote what={error.message} accepted="A job from the board." />
        <NavLink to="/">Back to the board</NavLink>
      </Page>
    );
  }
  if (!view || !job || !pack) return <Awaiting question={`Job ${params.number}`} />;
  const stages = PHASES.flatMap((p) => p.stages);
  const stage = stages.find((s) => s.id === params.stage);
  const timeline = params.stage === 'timeline';
  const buyer = params.stage === 'buyers-check';
  const choice = params.stage === 'options';
  if (!stage && !timeline && !buyer && !choice) return <Navigate to={`/jobs/${number}/scan`} replace />;
  const here = params.stage ?? '';
  // The plan of the work can be read before it may begin.
  const gated =
    stage &&
    stage.id !== 'strip-down' &&
    (GATED_STAGES as readonly string[]).includes(stage.id) &&
    !job.gate.holds;
  return (
    <JobContext value={view}>
      <Grid $map={shown === 'yes'}>
        <Skip href="#stage">Skip to the stage</Skip>
        <Bar>
          <Brand to="/">Bold Cellmend</Brand>
          <Vehicle>
            Job {job.number} · {job.title} · {pack.groups.length} groups, {pack.modules.length} modules,{' '}
            {chemistryName(job.pack.chemistry)}
          </Vehicle>
          <Right>
            <SafetyLamp gate={job.gate} awaySinceMs={awaySinceMs} />
            <Stop onPress={() => setDialog('stop')} />
            <Account person={person} />
          </Right>
        </Bar>
        <RouteBox>
          <RouteToggle aria-expanded={route} onPress={() => setRoute(!route)}>
            <Mute>Stage</Mute>{' '}
            {stage?.name ?? (buyer ? 'Buyer’s check' : choice ? 'Owner’s choice' : 'Timeline')}
            <ChevronDown size={20} aria-hidden />
          </RouteToggle>
          <Rail aria-label="Route" $open={route} onClick={() => setRoute(false)}>
            {PHASES.map((phase) => (
              <div key={phase.name}>
                <h3>{phase.name}</h3>
                {phase.stages.map((s) => {
                  const state = job.route[s.id];
                  return (
                    <NavLink key={s.id} to={`/jobs/${number}/${s.id}`}>
                      <Mark
                        $state={state.note === 'gate' ? 'gate' : state.state}
                        role="img"
                        aria-label={WORDS[state.state]}
                      />
                      {s.name}
                      {state.note && <small>{state.note}</small>}
                    </NavLink>
                  );
                })}
              </div>
            ))}
            <h3>Record</h3>
            {(decisionOf(job, 'intake')?.body.aim === 'buy' ||
              decisionOf(job, 'appraisal') !== undefined ||
              decisionOf(job, 'measures')?.body.measures.some((m) => m.kind === 'appraise')) && (
              <NavLink to={`/jobs/${number}/buyers-check`}>Buyer’s check</NavLink>
            )}
            <NavLink to={`/jobs/${number}/options`}>Owner’s choice</NavLink>
            <NavLink to={`/jobs/${number}/timeline`}>Timeline</NavLink>
          </Rail>
        </RouteBox>
        <Middle id="stage" tabIndex={-1}>
          {awaySinceMs !== null && (
            <Away role="status">
              <CloudOff size={18} aria-hidden />
              <span>
                <b>The server is away.</b> Shown is how it stood {when(new Date(awaySinceMs).toISOString())}.
                What you type is kept on this tablet.
              </span>
            </Away>
          )}
          <Caught key={here}>
            <Suspense fallback={<Awaiting question={stage?.question} />}>
              {gated ? (
                <Closed question={stage.question} name={stage.name} />
              ) : stage ? (
                <StageView key={stage.id} id={stage.id} question={stage.question} />
              ) : buyer ? (
                <BuyersCheck />
              ) : choice ? (
                <OptionsPage />
              ) : (
                <Timeline />
              )}
            </Suspense>
          </Caught>
        </Middle>
        <Caught key={`map ${here}`}>
          <PackAside here={here} />
        </Caught>
        <Footer
          stage={stage?.id ?? 'intake'}
          jotRef={jotRef}
          onWalk={() => setDialog('walk')}
          onKeys={() => setDialog('keys')}
        />
        {dialog === 'walk' && (
          <Suspense fallback={null}>
            <Walk
              stage={stage?.id ?? 'bench'}
              usual={STAGE_FACTS[stage?.id ?? 'bench'].usual ?? 'voltage'}
              onClose={() => setDialog(null)}
            />
          </Suspense>
        )}
        {dialog === 'stop' && <StopDialog onClose={() => setDialog(null)} />}
        {dialog === 'keys' && <KeyHelp onClose={() => setDialog(null)} />}
      </Grid>
    </JobContext>
  );
}

/** The steps follow the page at once, however short it is. */
const WithSteps = styled.div`
  min-height: 100%;
  &:has(> :nth-child(2)) > :first-child {
    min-height: auto;
  }
`;

function StageView({ id, question }: { id: Stage; question: string }) {
  const View = STAGE_VIEWS[id];
  // A page that is only a list of what was written down has the steps in it.
  if (View === NOTES) return <View question={question} stage={id} />;
  return (
    <WithSteps>
      <View question={question} stage={id} />
      <StageSteps stage={id} />
    </WithSteps>
  );
}
