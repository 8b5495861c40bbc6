import type { SafetyView } from '@cellmend/contract/safety';
import {
  capacitorWait,
  hazardsOf,
  lockoutState,
  mayHoldV,
  HAZARD_NAMES,
  HAZARDS,
  isClassA,
  PROOF_WORDS,
  type Hazard,
  type LockoutContext,
  type LockoutState,
  type Moment,
  type StepData,
  CLASS_B_V,
} from '@cellmend/core/safety';
import { useEffect, useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { arrivedAt } from '../../api/client';
import { decisionOf, useSafety } from '../../api/hooks';
import { Awaiting } from '../../shell/Awaiting';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Answer, Button, Columns, Mute, NextBar, Page, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { countdown, fixed, when } from '../../ui/words';
import { Readings } from '../notes/Readings';
import type { StageProps } from '../props';
import { StepForm } from './StepForm';
import { EvidenceList } from './EvidenceList';
import { StopPanel } from './StopPanel';
import { WatchPanel } from './WatchPanel';
import { Workers } from './Workers';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';

const BleedCurve = lazyChart<
  PropsOf<(typeof import('./BleedCurve'))['BleedCurve']>,
  typeof import('./BleedCurve')
>(() => import('./BleedCurve'), 'BleedCurve', 236);

const Steps = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
  li {
    background: var(--sheet);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 8px 12px 8px 38px;
    min-height: 44px;
    position: relative;
  }
  li::before {
    content: '';
    position: absolute;
    left: 12px;
    top: 13px;
    width: 14px;
    height: 14px;
    border: 2px dotted var(--mute);
    border-radius: 3px;
  }
  li[data-state='done']::before {
    background: var(--mat-text);
    border: 2px solid var(--mat-text);
  }
  li[data-state='done'] {
    min-height: 0;
    padding-top: 5px;
    padding-bottom: 5px;
    b {
      font-size: var(--t-s);
      font-weight: 600;
    }
  }
  li[data-state='done']::before {
    top: 9px;
  }
  li[data-state='now'] {
    box-shadow: inset 4px 0 0 var(--hot);
  }
  li[data-state='now']::before {
    border: 2px solid var(--hot);
  }
  b {
    font-size: var(--t-m);
  }
  small {
    display: block;
    color: var(--mute);
    font-size: var(--t-xs);
  }
`;

/** The procedure as the server sees it, with the server's clock running on here. */
function useLockout(view: SafetyView | undefined): {
  context: LockoutContext | null;
  state: LockoutState | null;
  nowMs: number;
} {
  const { pack } = useJobView();
  // The tablet's own clock may be anything: what counts is the server's moment, and how long ago it was told.
  const [tick, setTick] = useState(() => performance.now());
  useEffect(() => {
    const timer = setInterval(() => setTick(performance.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  if (!view) return { context: null, state: null, nowMs: Date.now() };
  const sinceMs = Math.max(0, tick - arrivedAt(view));
  const { settings, hazards, packV, entries, now: then } = view;
  const context: LockoutContext = { pack, hazards, packV, ...settings };
  const now: Moment = {
    ...then,
    wallMs: then.wallMs + sinceMs,
    upS: then.upS === null ? null : then.upS + sinceMs / 1000,
  };
  return { context, state: lockoutState(context, entries, now), nowMs: now.wallMs };
}

/** A gate that holds: step by step to proven absence of voltage. */
export function MakeSafeStage({ question, stage }: StageProps) {
  const { job, person } = useJobView();
  const { data: view, mutate } = useSafety(job.number);
  const { context, state, nowMs } = useLockout(view);
  const write = useWrite();
  const [more, setMore] = useState<Hazard[]>([]);
  const may = person.maySignHv;
  if (!view || !context || !state) return <Awaiting question={question} />;
  const run = async (path: string, body: unknown): Promise<boolean> => {
    const next = await write.run<SafetyView>(path, body);
    if (next) await mutate(next, { revalidate: false });
    return next !== null;
  };
  // What intake and the readings say cannot be left out; more can be added.
  const hazards = HAZARDS.filter((h) => view.suggestedHazards.includes(h) || more.includes(h));
  const take = (data: StepData, corrects?: { supersedes: string; reason: string }): Promise<boolean> =>
    run('/safety/steps', {
      lockoutId: view.lockoutId,
      data,
      observedAt: new Date().toISOString(),
      ...corrects,
    });
  const classA = isClassA(context);
  const stop = view.stops[0];
  const wait = capacitorWait(context);
  const startedMs = state.waitEndsMs === null ? null : state.waitEndsMs - wait.waitS * 1000;
  const left = state.waitEndsMs === null ? null : (state.waitEndsMs - nowMs) / 1000;
  const waiting = state.next === 'wait';
  const holding =
    startedMs === null ? context.packV : mayHoldV(context, Math.max(0, (nowMs - startedMs) / 1000));
  const out = [...view.entries].reverse().find((e) => e.step === 'disconnect');
  const holds = view.begun && state.holds && !stop && job.gate.holds;
  const current = state.steps.find((s) => s.state === 'now');
  const decided = decisionOf(job, 'measures') !== undefined;
  const worksInside = job.steps.some((s) => s.stage === 'strip-down' || s.stage === 'rebuild');
  return (
    <Page>
      <h1>{question}</h1>
      {stop ? (
        <Answer tone="hot" title={`Stopped: ${stop.kind}${stop.place ? ` at ${stop.place}` : ''}`}>
          By {stop.by}, {when(stop.at)}. {stop.note} The gate is closed until the stop is ended with a reason.
        </Answer>
      ) : holds ? (
        <Answer
          tone={state.proof === 'below-60' ? 'hot' : 'good'}
          title={state.proof === 'below-60' ? 'Below 60 V, still live' : 'Proven dead at all three points'}
          big={when(new Date(state.provenMs!).toISOString()).replace('today ', '')}
          small={`holds until ${when(new Date(state.holdsUntilMs!).toISOString()).replace('today ', '')}`}
        >
          {state.proof && PROOF_WORDS[state.proof].more} The gate closes when the pack is re-energised or the
          shift changes hands.
        </Answer>
      ) : waiting && left !== null ? (
        <Answer
          tone="hot"
          title={`Not yet: capacitors may still hold ${fixed(holding, 0)} V`}
          big={<span className="n">{countdown(left)}</span>}
          small={
            !wait.computed
              ? 'least wait'
              : holding > CLASS_B_V
                ? 'until below 60 V'
                : 'until it may be measured'
          }
        >
          {out?.step === 'disconnect' &&
            `Service disconnect out at ${when(new Date(out.atMs).toISOString()).replace('today ', '')}, kept by ${out.keptBy}. `}
          Then prove the meter, measure three points, prove the meter again.
        </Answer>
      ) : (
        <Answer
          tone="hot"
          title={classA ? 'Live, below 60 V when full' : 'Not proven dead'}
          big={`${fixed(context.packV, 0)} V`}
          small={{ profile: 'when full', scan: 'by the scan', meter: 'by the meter' }[view.packVFrom]}
        >
          {job.gate.stop === null && !job.gate.holds && job.gate.why.startsWith('Stopped')
            ? job.gate.why
            : view.begun
              ? state.why
              : view.closed
                ? `The last lock-out was closed by ${view.closed.by}, ${when(view.closed.at)}: ${view.closed.why}. Begin again. Treat everything orange as live.`
                : 'The lock-out has not been begun. Treat everything orange as live.'}
        </Answer>
      )}
      {view.stops.map((s) => (
        <StopPanel key={s.id} stop={s} settings={view.settings} onDone={() => void mutate()} />
      ))}
      {!view.begun ? (
        <Sheet>
          <Stack>
            <h2>How did it come in?</h2>
            <Chips
              selectionMode="multiple"
              selectedKeys={hazards}
              onSelectionChange={(k) => setMore([...k] as Hazard[])}
              aria-label="How it came in"
            >
              {HAZARDS.map((id) => (
                <ToggleButton key={id} id={id}>
                  {HAZARD_NAMES[id]}
                </ToggleButton>
              ))}
            </Chips>
            <Mute>
              {view.suggestedHazards.length > 0
                ? `${view.suggestedHazards.map((h) => HAZARD_NAMES[h]).join(', ')}: intake or the readings say so, it cannot be left out. Hazards combine.`
                : 'Pick all that apply; hazards combine. None picked: nothing unusual.'}
            </Mute>
            <ul style={{ margin: 0, paddingLeft: 18 }}>
              {hazardsOf({ ...context, hazards }).map((h) => (
                <li key={h}>{h}</li>
              ))}
            </ul>
          </Stack>
        </Sheet>
      ) : (
        <Columns $of="236px 1fr">
          <Steps aria-label="Steps">
            {state.steps.map((s) => (
              <li key={s.id} data-state={s.state} aria-current={s.state === 'now' ? 'step' : undefined}>
                <b>{s.title}</b>
                {s.state === 'done' && s.by && (
                  <small>
                    {view.names[s.by]}, {when(new Date(s.atMs!).toISOString()).replace('today ', '')}
                  </small>
                )}
                {s.state === 'now' && s.id === 'wait' && <small>{s.detail}</small>}
              </li>
            ))}
          </Steps>
          <Sheet>
            <Stack>
              {current ? (
                <StepForm
                  key={current.id}
                  step={current}
                  context={context}
                  view={view}
                  waitS={waiting ? (left ?? 0) : 0}
                  may={may && !stop}
                  busy={write.busy}
                  onTake={(data) => take(data)}
                />
              ) : (
                <>
                  <h3>{holds ? 'The gate is open' : 'Prove it again'}</h3>
                  <p>
                    {!holds
                      ? state.why
                      : worksInside
                        ? 'Strip down and Rebuild can be worked. Links come out in the order on the pack map: fewest pulls to parts below 60 V.'
                        : decided
                          ? 'Nothing that was decided is worked inside this pack: it stays closed.'
                          : 'Nothing is decided yet. Decide what is to be done before anything is opened.'}
                  </p>
                  <Proof view={view} />
                </>
              )}
              {waiting && startedMs !== null && (
                <BleedCurve
                  context={context}
                  startedMs={startedMs}
                  nowMs={nowMs}
                  endsMs={state.waitEndsMs!}
                />
              )}
              {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
            </Stack>
          </Sheet>
        </Columns>
      )}
      {view.begun && <Workers view={view} busy={write.busy} onTake={(data) => take(data)} />}
      {view.watch && <WatchPanel watch={view.watch} onDone={() => void mutate()} />}
      {view.evidence.length > 0 && (
        <EvidenceList view={view} may={may && !stop} busy={write.busy} onCorrect={take} />
      )}
      <NextBar>
        <div>
          Follow the maker’s procedure and your local code where they ask for more. Each half of the pack
          stays live after the disconnect is out.
          {!may && person.mayWrite && (
            <>
              <br />
              <b>{person.hvReason}</b> Somebody else has to prove it dead.
            </>
          )}
        </div>
        {!view.begun ? (
          <Button
            isDisabled={!may || write.busy || stop !== undefined}
            onPress={() => void run('/safety/begin', { hazards })}
          >
            Begin lock-out
          </Button>
        ) : (
          <Row>
            {person.mayWrite && (
              <>
                <Button
                  quiet
                  isDisabled={write.busy}
                  onPress={() => void run('/safety/close', { reason: 'shift', note: '' })}
                >
                  Hand over shift
                </Button>
                <Button
                  quiet
                  isDisabled={write.busy}
                  onPress={() => void run('/safety/close', { reason: 're-energised', note: '' })}
                >
                  Re-energised
                </Button>
              </>
            )}
            {!holds && current && <Button isDisabled>Gate opens after step {state.steps.length}</Button>}
          </Row>
        )}
      </NextBar>
      <Readings stage={stage} />
    </Page>
  );
}

/** The five figures that proved it. */
function Proof({ view }: { view: SafetyView }) {
  const proof = [...view.entries].reverse().find((e) => e.step === 'live-dead-live');
  if (proof?.step !== 'live-dead-live') return null;
  const lines: [string, number][] = [
    ['Meter on a known source', proof.meterBeforeV],
    ['Pack + to pack −', proof.plusMinusV],
    ['Pack + to chassis', proof.plusChassisV],
    ['Pack − to chassis', proof.minusChassisV],
    ['Meter again', proof.meterAfterV],
  ];
  return (
    <table>
      <tbody>
        {lines.map(([name, v]) => (
          <tr key={name}>
            <td>{name}</td>
            <td className="n" style={{ textAlign: 'right' }}>
              {fixed(v, 1)} V
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
