import type { Job } from '@cellmend/contract/jobs';
import { EVIDENCE, type EvidenceId, type Stage } from '@cellmend/core/route';
import { Check as Tick, Circle, TriangleAlert } from 'lucide-react';
import { useState } from 'react';
import styled from 'styled-components';
import { useChecks } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Button, LinkButton, Mute, Row, Sheet, Stack } from '../../ui/parts';
import { when } from '../../ui/words';
import { CheckForm } from './CheckForm';
import { lazyChart, type PropsOf } from '../../ui/lazyChart';

// Forms of one errand each are fetched when they are opened.
const FitForm = lazyChart<PropsOf<typeof import('./FitForm').FitForm>, typeof import('./FitForm')>(
  () => import('./FitForm'),
  'FitForm',
  220,
);
const TakeOut = lazyChart<PropsOf<typeof import('./TakeOut').TakeOut>, typeof import('./TakeOut')>(
  () => import('./TakeOut'),
  'TakeOut',
  180,
);
const WakeForm = lazyChart<PropsOf<typeof import('./WakeForm').WakeForm>, typeof import('./WakeForm')>(
  () => import('./WakeForm'),
  'WakeForm',
  260,
);
const LeakForm = lazyChart<PropsOf<typeof import('./LeakForm').LeakForm>, typeof import('./LeakForm')>(
  () => import('./LeakForm'),
  'LeakForm',
  260,
);

type Step = Job['steps'][number];

/** Whether it is recorded here: a check, a part that goes in, one that leaves. */
const hasForm = (id: EvidenceId): boolean =>
  EVIDENCE[id].check !== undefined || id === 'fitted' || id === 'disposal';

const Box = styled.div<{ $inside: boolean }>`
  padding: ${(p) => (p.$inside ? 0 : '0 20px 20px')};
  @media print {
    display: none;
  }
`;
const Line = styled.li`
  display: grid;
  grid-template-columns: 24px 1fr auto;
  gap: 6px 12px;
  align-items: center;
  padding: 8px 0;
  border-bottom: 1px solid var(--line);
  &:last-child {
    border-bottom: 0;
  }
  > div:last-child:not(:nth-child(3)) {
    grid-column: 2 / -1;
  }
`;
const List = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
`;

/** What the signed list asks for in a stage: what is on record, and the form for what is not. */
export function StageSteps({ stage, inside = false }: { stage: Stage; inside?: boolean }) {
  const { job, person } = useJobView();
  const { data: checks } = useChecks(job.number);
  const [open, setOpen] = useState<string | null>(null);
  // What a stage's own page is for is not asked for twice.
  const steps = job.steps.filter((s) => s.stage === stage && (hasForm(s.evidence) || stage === 'insulation'));
  const takesOut = stage === 'strip-down' && job.gate.holds && person.mayWrite;
  if (steps.length === 0 && !takesOut) return null;
  // A form that is done closes itself, never the one that was opened meanwhile.
  const shut = (key: string): void => setOpen((now) => (now === key ? null : now));
  const keyOf = (s: Step): string => `${s.evidence} ${s.place}`;
  return (
    <Box $inside={inside}>
      <Stack>
        {steps.length > 0 && (
          <Sheet aria-label="What the list asks for here">
            <h3>What the list asks for here</h3>
            <List>
              {steps.map((s) => {
                const last = (checks ?? []).find((c) => c.check === s.evidence && c.place === s.place);
                return (
                  <Line key={keyOf(s)}>
                    {s.met ? (
                      <Tick size={20} aria-label="on record" />
                    ) : s.failed ? (
                      <TriangleAlert size={20} aria-label="not passed" />
                    ) : (
                      <Circle size={18} aria-label="open" />
                    )}
                    <span>
                      <b>
                        {s.place && `${s.place}: `}
                        {s.need}
                      </b>{' '}
                      <Mute>
                        {last
                          ? `${last.passed ? 'passed' : 'not passed'}${last.value === null ? '' : `, ${Number(last.value.toPrecision(4))} ${last.unit}`}, ${last.by}, ${when(last.at)}${last.text && `. ${last.text}`}`
                          : s.says}
                      </Mute>
                    </span>
                    {person.mayWrite && (
                      <Act
                        step={s}
                        open={open === keyOf(s)}
                        onOpen={() => setOpen(open === keyOf(s) ? null : keyOf(s))}
                      />
                    )}
                    {open === keyOf(s) && (
                      <div>
                        {s.evidence === 'fitted' ? (
                          <FitForm key={keyOf(s)} place={s.place} onDone={() => shut(keyOf(s))} />
                        ) : s.evidence === 'disposal' ? (
                          <TakeOut key={keyOf(s)} only={s.place} onDone={() => shut(keyOf(s))} />
                        ) : s.evidence === 'wakes' ? (
                          <WakeForm key={keyOf(s)} step={s} onDone={() => shut(keyOf(s))} />
                        ) : s.evidence === 'coolant-tight' ? (
                          <LeakForm key={keyOf(s)} step={s} onDone={() => shut(keyOf(s))} />
                        ) : (
                          <CheckForm key={keyOf(s)} step={s} onDone={() => shut(keyOf(s))} />
                        )}
                      </div>
                    )}
                  </Line>
                );
              })}
            </List>
          </Sheet>
        )}
        {takesOut && (
          <Sheet>
            {open === 'take-out' ? (
              <TakeOut onDone={() => shut('take-out')} />
            ) : (
              <Row>
                <span style={{ flex: 1 }}>
                  <b>Take modules out</b>{' '}
                  <Mute>They become stock, with everything that was measured of them here.</Mute>
                </span>
                <Button quiet onPress={() => setOpen('take-out')}>
                  Take out
                </Button>
              </Row>
            )}
          </Sheet>
        )}
      </Stack>
    </Box>
  );
}

/** The one thing to press for a step: its form, or the way to what has to come first. */
function Act({ step, open, onOpen }: { step: Step; open: boolean; onOpen: () => void }) {
  const { job } = useJobView();
  if (step.waitsFor === 'gate')
    return (
      <LinkButton $quiet to={`/jobs/${job.number}/make-safe`}>
        Make safe
      </LinkButton>
    );
  const byHand = EVIDENCE[step.evidence].check !== undefined;
  if (!hasForm(step.evidence) || (step.met && !byHand)) return <span />;
  return (
    <Button
      quiet
      onPress={onOpen}
      aria-expanded={open}
      aria-label={`${step.met ? 'Again' : 'Record'}: ${[step.place, step.need].filter(Boolean).join(' ')}`}
    >
      {step.met ? 'Again' : 'Record'}
    </Button>
  );
}
