import type { StockPart } from '@cellmend/contract/stock';
import type { NewTick } from '@cellmend/contract/stripdown';
import { STAGE_FACTS } from '@cellmend/core/route';
import { CLASS_B_V, wearFor } from '@cellmend/core/safety';
import {
  atHand,
  bagCount,
  bags,
  buildOf,
  inTheWay,
  offNow,
  partName,
  type PlanStep,
  type StripPlan,
} from '@cellmend/core/stripdown';
import { Check, CornerDownRight } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled, { css } from 'styled-components';
import { useSafety, useStock } from '../../api/hooks';
import { PhotoButton } from '../../photos/Photos';
import { whenDone } from '../../shell/doneLine';
import { useJobView } from '../../shell/jobContext';
import { Chips } from '../../ui/Chips';
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
import { fixed, upper } from '../../ui/words';
import { Readings } from '../notes/Readings';
import type { StageProps } from '../props';
import { Asked } from './Asked';
import { BringDown } from './BringDown';
import { WasItSo } from '../../learn/WasItSo';
import { SeenOnTheWay } from './SeenOnTheWay';
import { sendTick, useListed, usePlan, useStanding, useTargets, useTicks } from './usePlan';

/** Two presses within this are one. */
const TWICE_MS = 500;

const Line = styled.li<{ $state: 'done' | 'now' | 'later' }>`
  display: grid;
  grid-template-columns: 28px minmax(0, 1fr) auto auto;
  gap: 2px 14px;
  align-items: baseline;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px 14px;
  ${(p) =>
    p.$state === 'done' &&
    css`
      background: transparent;
      color: var(--mute);
    `}
  ${(p) =>
    p.$state === 'now' &&
    css`
      border-left: 5px solid var(--mat-text);
      padding-left: 10px;
    `}
  > svg {
    align-self: center;
  }
  .n {
    white-space: nowrap;
    text-align: right;
  }
  .hot {
    color: var(--hot);
    font-weight: 700;
  }
  .min {
    min-width: 84px;
  }
  @media (max-width: 640px) {
    grid-template-columns: 28px minmax(0, 1fr) auto;
    .min {
      grid-column: 3;
      grid-row: 2;
    }
  }
`;

const persons = (s: PlanStep): string =>
  s.massKg === null
    ? ''
    : `${fixed(s.massKg, 0)} kg, ${s.persons === 'fixture' ? 'with a fixture' : s.persons === 2 ? 'two persons' : 'one person'}`;
const minutesWords = (m: number): string => `${fixed(m, m < 10 && m % 1 !== 0 ? 1 : 0)} min`;

/** What there is to say of a step besides its name. */
const detail = (s: PlanStep): string =>
  [s.tool ?? '', persons(s), s.for, s.singleUse.length > 0 ? `new: ${s.singleUse.join(', ')}` : '']
    .filter(Boolean)
    .join(' · ');

/** Whether what is used once is at hand. */
function Shelf({ what, needs, stock }: { what: string; needs: number; stock: readonly StockPart[] }) {
  const free = stock.filter((s) => s.kind !== 'module' && s.place.kind === 'shelf' && !s.reserved);
  const n = atHand(
    what,
    free.map((s) => s.name ?? ''),
  );
  return n >= needs ? (
    <Mute>: {n} on the shelf</Mute>
  ) : (
    <b>: {n === 0 ? 'not on the shelf' : `only ${n} on the shelf`}</b>
  );
}

/** Highest voltage within reach before a step is done: what the step before it leaves. */
const withinReachV = (plan: StripPlan, i: number): number => (i === 0 ? plan.nowV : plan.steps[i - 1]!.leftV);

/** The plan of the work: what comes off, in which order, what voltage is left, and what it shows. */
export function StripDownStage({ question, stage }: StageProps) {
  const { job, pack, person, selected, select } = useJobView();
  const names = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const listed = useListed();
  const { targets, picked, pick } = useTargets();
  const { data: safety } = useSafety(job.number);
  const { plan, problem } = usePlan(targets);
  const { data: stock } = useStock();
  const { ticks } = useTicks();
  const standing = useStanding();
  const pressedMs = useRef(0);
  const [asked, setAsked] = useState<{ part: string; first: string } | null>(null);
  const holds = job.gate.holds;
  const may = person.mayWrite && holds;
  const tick = (part: string, note = ''): void => {
    // A glove that presses twice means once.
    if (performance.now() - pressedMs.current < TWICE_MS) return;
    pressedMs.current = performance.now();
    const first = note === '' && standing ? inTheWay(pack, standing, part) : [];
    if (first.length > 0) {
      setAsked({ part, first: first.map(partName).join(', ') });
      return;
    }
    setAsked(null);
    send({ part, off: true, note });
  };
  const send = (what: Pick<NewTick, 'part' | 'off' | 'note' | 'mistake'>): void => {
    const name = plan?.steps.find((s) => s.id === what.part)?.name ?? what.part;
    sendTick(
      job.number,
      { ...what, observedAt: new Date().toISOString() },
      `${name} ${what.mistake ? 'taken back' : 'off'}`,
    );
  };
  // What was pressed a moment ago is done, also while the plan is being worked out anew.
  const off = new Set([...offNow(ticks), ...(standing?.open ?? [])]);
  const next = plan?.steps.find((s) => !s.done && !off.has(s.id));
  const lastTicked = offNow(ticks).at(-1);
  const below = plan?.steps.findIndex((s) => s.leftV <= CLASS_B_V) ?? -1;
  const doneCount = plan?.steps.filter((s) => s.done || off.has(s.id)).length ?? 0;
  // Lines that come faster than the page is drawn: what each ticked counts for the next.
  const justTicked = useRef(new Set<string>());
  const latest = useRef<(part: string | null) => string>(() => '');
  useEffect(() => {
    for (const id of off) justTicked.current.delete(id);
    latest.current = (part) => {
      if (!may) return holds ? 'You read only; nothing is ticked.' : `Nothing is ticked: ${job.gate.why}`;
      const step = plan?.steps.find(
        (s) => !s.done && !off.has(s.id) && !justTicked.current.has(s.id) && (part === null || s.id === part),
      );
      if (!step)
        return part === null
          ? plan
            ? 'No step is left.'
            : 'Nothing is to come out: pick what is to be reached.'
          : `${part} is off already, or not on the way to what is to come out.`;
      const before = standing
        ? inTheWay(
            pack,
            {
              ...standing,
              ticks: [
                ...standing.ticks,
                ...[...justTicked.current].map((id) => ({ part: id, off: true, minutes: null })),
              ],
            },
            step.id,
          )
        : [];
      if (before.length > 0) {
        setAsked({ part: step.id, first: before.map(partName).join(', ') });
        return `First: ${before.map(partName).join(', ')}.`;
      }
      justTicked.current.add(step.id);
      setAsked(null);
      send({ part: step.id, off: true, note: '' });
      return `${step.name} ${step.kind === 'module' ? 'out' : 'off'}`;
    };
  });
  useEffect(() => whenDone((part) => latest.current(part)), []);
  const bagOf = bags(ticks);
  const wanted = plan?.steps.filter((s) => s.target) ?? [];
  const title = !plan
    ? targets.length === 0
      ? 'Nothing is to come out yet'
      : 'Working the order out …'
    : !next
      ? `${wanted.map((s) => s.name).join(', ')} ${wanted.length === 1 ? 'is' : 'are'} ${wanted.some((s) => s.kind === 'module') ? 'out' : 'off'}`
      : `${plan.nowV <= CLASS_B_V ? `No part above ${fixed(plan.nowV, 0)} V` : below < 0 ? `${fixed(plan.nowV, 0)} V in one part` : below - doneCount === 0 ? 'Below 60 V after the next step' : `Below 60 V after ${below - doneCount + 1} steps`}; ${wanted.map((s) => s.name).join(', ')} in ${plan.steps.length - doneCount}`;
  return (
    <Page>
      <h1>{question}</h1>
      <Answer
        tone={plan && plan.nowV > CLASS_B_V ? 'hot' : 'plain'}
        title={title}
        big={plan && next ? minutesWords(plan.leftMin) : undefined}
        small={
          !plan || !next
            ? undefined
            : plan.timedSteps > 0
              ? `left, likely ${fixed(plan.lowMin, 0)} to ${fixed(plan.highMin, 0)}`
              : 'remaining, from typical times'
        }
      >
        {plan
          ? [
              plan.proved
                ? 'No order takes less.'
                : `No order takes less than ${fixed(plan.lowerBoundMin, 0)} min.`,
              plan.usual
                ? 'By the layout of the pack; the maker’s procedure comes first.'
                : 'The maker’s procedure comes first.',
              safety?.moduleVFrom === 'scan' ? '' : 'Voltages as if the pack were full.',
              ...plan.more
                .slice(0, 2)
                .map((m) => `${m.id} while you are there: ${minutesWords(m.minutes)} more.`),
            ]
              .filter(Boolean)
              .join(' ')
          : targets.length === 0
            ? 'Sign what is to be replaced under Findings, or pick modules here.'
            : STAGE_FACTS[stage].caution}
      </Answer>
      {problem && (
        <ProblemNote
          what={problem}
          accepted="Another target, or a build that can be taken apart, under Packs."
        />
      )}
      {plan && plan.endV > CLASS_B_V && (
        <ProblemNote
          what={`${fixed(plan.endV, 0)} V stay in one part: no link that is known brings it below 60 V.`}
          accepted="The maker’s procedure for work on live parts, by a person qualified for it; or the missing links, under Packs."
        />
      )}
      {!holds && (
        <Sheet>
          <Row>
            <div style={{ flex: '1 1 300px' }}>
              <h2>Strip down is closed by the gate</h2>
              <p>{job.gate.why} The plan can be read; nothing comes off before the pack is proven dead.</p>
            </div>
            <LinkButton to={`/jobs/${job.number}/make-safe`}>Make safe</LinkButton>
          </Row>
        </Sheet>
      )}
      {plan && (
        <PlainList aria-label="Steps">
          {plan.steps.map((s, i) => (
            <Line
              key={s.id}
              $state={s.done || off.has(s.id) ? 'done' : s === next ? 'now' : 'later'}
              aria-current={s === next ? 'step' : undefined}
            >
              {s.done || off.has(s.id) ? <Check size={18} aria-label="done" /> : <b>{i + 1}</b>}
              <span>
                <b>
                  {s.name}
                  {s.kind === 'module' && ' out'}
                </b>{' '}
                <Mute>
                  {[
                    detail(s),
                    bagOf.has(s.id) ? `bag ${bagOf.get(s.id)}` : '',
                    s.done || off.has(s.id) ? '' : wearFor(withinReachV(plan, i)).short,
                  ]
                    .filter(Boolean)
                    .join(' · ')}
                </Mute>
              </span>
              {s.kind === 'link' ? (
                <span className={`n${s.leftV > CLASS_B_V ? ' hot' : ''}`}>
                  <b>{fixed(s.leftV, 0)} V</b>
                </span>
              ) : (
                <span />
              )}
              <span className="n min" title={s.timed > 0 ? `timed here ${s.timed} times` : undefined}>
                {s.minutes === null ? <Mute>not timed</Mute> : minutesWords(s.minutes)}
                {s.timed > 0 && <Mute> ×{s.timed}</Mute>}
              </span>
            </Line>
          ))}
        </PlainList>
      )}
      {asked && (
        <Sheet aria-label="Out of order">
          <Asked first={asked.first} onGo={(note) => tick(asked.part, note)} onLeave={() => setAsked(null)} />
        </Sheet>
      )}
      {plan && next && holds && (
        <NextBar aria-label="Next step" style={{ position: 'sticky', bottom: 0, zIndex: 1 }}>
          <div>
            <b>
              {next.name}
              {next.kind === 'module' ? ' out' : ' off'}
              {next.kind === 'link' && `: then ${fixed(next.leftV, 0)} V at most`}
            </b>
            <br />
            <b>{wearFor(plan.nowV).says}</b>
            <br />
            {[
              upper(next.tool ?? 'by hand'),
              next.caution.replace(/\.$/, ''),
              `Fasteners in bag ${bagCount(ticks) + 1}`,
            ]
              .filter(Boolean)
              .join('. ')}
          </div>
          <PhotoButton place={next.id} stage={stage} />
          {lastTicked !== undefined && may && (
            <Button
              quiet
              onPress={() => send({ part: lastTicked, off: false, note: 'not done', mistake: true })}
            >
              Undo last
            </Button>
          )}
          {person.mayWrite && (
            <Button isDisabled={!may} onPress={() => tick(next.id)}>
              Done
            </Button>
          )}
        </NextBar>
      )}
      <Columns>
        <Sheet aria-label="Order before opening">
          <Stack $gap={6}>
            <h3>Order before opening</h3>
            {plan && plan.order.length > 0 ? (
              plan.order.map((o) => (
                <span key={o.what}>
                  {o.what}
                  {o.count > 1 && `, ${o.count}`} <Mute>for {o.for.join(', ')}</Mute>
                  {stock && <Shelf what={o.what} needs={o.count} stock={stock} />}
                </span>
              ))
            ) : (
              <Mute>Nothing on this way is known to be used once only.</Mute>
            )}
          </Stack>
        </Sheet>
        <Sheet aria-label="What is to be reached">
          <Stack $gap={8}>
            <h3>What is to be reached</h3>
            <Chips
              selectionMode="multiple"
              selectedKeys={targets}
              onSelectionChange={(k) => pick([...k].map(String))}
              aria-label="Parts to be reached"
            >
              {[
                ...new Set([
                  ...listed,
                  ...targets,
                  ...(selected === null ? [] : [pack.modules[selected]!.id]),
                ]),
              ]
                .sort((a, b) => a.localeCompare(b, 'en', { numeric: true }))
                .map((id) => (
                  <ToggleButton key={id} id={id}>
                    {names.get(id) ?? id}
                  </ToggleButton>
                ))}
            </Chips>
            <Row>
              <Mute style={{ flex: 1 }}>
                <CornerDownRight size={14} aria-hidden /> Pick others on the pack map.
              </Mute>
              {picked && (
                <Button
                  quiet
                  onPress={() => {
                    pick(null);
                    select(null);
                  }}
                >
                  As signed
                </Button>
              )}
            </Row>
          </Stack>
        </Sheet>
      </Columns>
      <Columns>
        <SeenOnTheWay stage={stage} />
        {ticks.length > 0 && <WasItSo stage={stage} />}
        <BringDown />
      </Columns>
      {holds && <Readings stage={stage} />}
    </Page>
  );
}
