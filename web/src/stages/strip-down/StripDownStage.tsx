import type { NewTick } from '@cellmend/contract/stripdown';
import { STAGE_FACTS } from '@cellmend/core/route';
import { inTheWay, partName, type PlanStep } from '@cellmend/core/stripdown';
import { Check, CornerDownRight } from 'lucide-react';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled, { css } from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
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
import { fixed } from '../../ui/words';
import { Readings } from '../notes/Readings';
import type { StageProps } from '../props';
import { sendTick, useListed, usePlan, useTargets, useTicks } from './usePlan';

const CLASS_B_V = 60;

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
  [
    s.tool ? (s.changesTool ? s.tool : `${s.tool}`) : '',
    persons(s),
    s.for,
    s.singleUse.length > 0 ? `new: ${s.singleUse.join(', ')}` : '',
  ]
    .filter(Boolean)
    .join(' · ');

/** The plan of the work: what comes off, in which order, what voltage is left, and what it shows. */
export function StripDownStage({ question, stage }: StageProps) {
  const { job, pack, person, selected, select } = useJobView();
  const listed = useListed();
  const { targets, picked, pick } = useTargets();
  const { plan, problem } = usePlan(targets);
  const { ticks } = useTicks();
  const [asked, setAsked] = useState<{ part: string; first: string } | null>(null);
  const holds = job.gate.holds;
  const may = person.mayWrite && holds;
  const tick = (part: string, off: boolean, note = ''): void => {
    const first = off && note === '' ? inTheWay(pack, ticks, part) : [];
    if (first.length > 0) {
      setAsked({ part, first: first.map(partName).join(', ') });
      return;
    }
    setAsked(null);
    const body: NewTick = { part, off, note, observedAt: new Date().toISOString() };
    const name = plan?.steps.find((s) => s.id === part)?.name ?? part;
    sendTick(job.number, body, `${name} ${off ? 'off' : 'on again'}`);
  };
  const next = plan?.steps.find((s) => !s.done);
  const below = plan?.steps.findIndex((s) => s.leftV <= CLASS_B_V) ?? -1;
  const doneCount = plan?.steps.filter((s) => s.done).length ?? 0;
  const wanted = plan?.steps.filter((s) => s.target) ?? [];
  const title = !plan
    ? targets.length === 0
      ? 'Nothing is to come out yet'
      : 'Working the order out …'
    : !next
      ? `${wanted.map((s) => s.id).join(', ')} ${wanted.length === 1 ? 'is' : 'are'} out`
      : `${plan.nowV <= CLASS_B_V ? `No part above ${fixed(plan.nowV, 0)} V` : below < 0 ? `${fixed(plan.nowV, 0)} V in one part` : below - doneCount === 0 ? 'Below 60 V after the next step' : `Below 60 V after ${below - doneCount + 1} steps`}; ${wanted.map((s) => s.id).join(', ')} in ${plan.steps.length - doneCount}`;
  return (
    <Page>
      <h1>{question}</h1>
      <Answer
        tone={plan && plan.nowV > CLASS_B_V ? 'hot' : 'plain'}
        title={title}
        big={plan && next ? minutesWords(plan.leftMin) : undefined}
        small={
          plan && next ? `left, likely ${fixed(plan.lowMin, 0)} to ${fixed(plan.highMin, 0)}` : undefined
        }
      >
        {plan
          ? [
              plan.proved
                ? 'No order takes less.'
                : `No order takes less than ${fixed(plan.lowerBoundMin, 0)} min.`,
              plan.usual
                ? 'By the layout of the pack and usual times; the maker’s procedure comes first.'
                : '',
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
              $state={s.done ? 'done' : s === next ? 'now' : 'later'}
              aria-current={s === next ? 'step' : undefined}
            >
              {s.done ? <Check size={18} aria-label="done" /> : <b>{i + 1}</b>}
              <span>
                <b>
                  {s.name}
                  {s.kind === 'module' && ' out'}
                </b>{' '}
                <Mute>{detail(s)}</Mute>
              </span>
              {s.kind === 'link' ? (
                <span className={`n${s.leftV > CLASS_B_V ? ' hot' : ''}`}>
                  <b>{fixed(s.leftV, 0)} V</b>
                </span>
              ) : (
                <span />
              )}
              <span className="n min" title={s.timed > 0 ? `timed here ${s.timed} times` : undefined}>
                {minutesWords(s.minutes)}
                {s.timed > 0 && <Mute> ×{s.timed}</Mute>}
              </span>
            </Line>
          ))}
        </PlainList>
      )}
      {asked && (
        <Sheet aria-label="Out of order">
          <Asked
            first={asked.first}
            onGo={(note) => tick(asked.part, true, note)}
            onLeave={() => setAsked(null)}
          />
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
            {[next.tool ?? 'By hand', next.caution].filter(Boolean).join('. ')}
          </div>
          {doneCount > 0 && may && (
            <Button quiet onPress={() => tick(plan.steps[doneCount - 1]!.id, false, 'ticked by mistake')}>
              Undo last
            </Button>
          )}
          {person.mayWrite && (
            <Button isDisabled={!may} onPress={() => tick(next.id, true)}>
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
              aria-label="Modules to be reached"
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
                    {id}
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
      {holds && <Readings stage={stage} />}
    </Page>
  );
}

/** Why something is done out of order: the reason goes on record. */
export function Asked({
  first,
  onGo,
  onLeave,
}: {
  first: string;
  onGo: (note: string) => void;
  onLeave: () => void;
}) {
  const [why, setWhy] = useState('');
  return (
    <Stack $gap={8}>
      <b>First: {first}.</b>
      <Field>
        Why it is done otherwise here
        <Input value={why} maxLength={500} onChange={(e) => setWhy(e.target.value)} />
      </Field>
      <Row>
        <Button isDisabled={why.trim() === ''} onPress={() => onGo(why.trim())}>
          Done all the same
        </Button>
        <Button quiet onPress={onLeave}>
          Leave it
        </Button>
      </Row>
    </Stack>
  );
}
