import type { Job } from '@cellmend/contract/jobs';
import { Check, Circle, CircleDashed, TriangleAlert } from 'lucide-react';
import { Suspense, useState } from 'react';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { Button, Mute, Sheet } from '../../ui/parts';
import { distanceUnit, kmOfShown, toldRoad } from '../../ui/units';
import { lazily } from '../../shell/lazily';
import { Looked } from '../work/CheckForm';

const BusForm = lazily<{ onDone: () => void }, typeof import('./BusForm')>(
  () => import('./BusForm'),
  'BusForm',
);
const BoardForm = lazily<{ place: string; onDone: () => void }, typeof import('./BoardForm')>(
  () => import('./BoardForm'),
  'BoardForm',
);

const List = styled.ol`
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
`;
const Line = styled.li`
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) auto;
  gap: 2px 10px;
  align-items: start;
  padding: 10px 0;
  border-top: 1px solid var(--line);
  > svg {
    margin-top: 2px;
  }
  > div {
    grid-column: 2 / -1;
    padding-top: 8px;
    @media (max-width: 640px) {
      grid-column: 1 / -1;
    }
  }
  .bad {
    color: var(--bad);
    font-weight: 700;
  }
`;
const MARK = {
  pass: <Check size={20} color="var(--mat-text)" aria-label="seen and right" />,
  hold: <CircleDashed size={19} color="var(--hot)" aria-label="on the edge" />,
  fail: <TriangleAlert size={20} color="var(--bad)" aria-label="not right" />,
  open: <Circle size={18} color="var(--mute)" aria-label="not seen yet" />,
} as const;
type Proof = Job['proofs'][number];
const keyOf = (p: Proof): string => `${p.id} ${p.place}`;

/** What proves this repair by what was wrong: each with how it is done, what was seen, and the form for it. */
export function Proofs() {
  const { job, person } = useJobView();
  const [open, setOpen] = useState<string | null>(null);
  if (job.proofs.length === 0) return null;
  // One that is done closes itself, never the one that was opened meanwhile.
  const done = (p: Proof): void => setOpen((now) => (now === keyOf(p) ? null : now));
  const seen = job.proofs.filter((p) => p.state === 'pass').length;
  return (
    <Sheet aria-label="What proves this repair">
      <h2 style={{ fontSize: 'var(--t-m)', fontWeight: 650 }}>
        What proves this repair <Mute>{`${seen} of ${job.proofs.length} seen and right`}</Mute>
      </h2>
      <List>
        {job.proofs.map((p) => (
          <Line key={keyOf(p)}>
            {MARK[p.state]}
            <span>
              <b>
                {p.need}
                {p.place && `, ${p.place}`}
              </b>{' '}
              {p.state !== 'open' && (
                <span className={p.state === 'fail' ? 'bad' : undefined}>{toldRoad(p.says)} </span>
              )}
              {p.state !== 'pass' && <Mute>{toldRoad(p.how)}</Mute>}
            </span>
            {person.mayWrite && (
              <Button
                quiet
                aria-expanded={open === keyOf(p)}
                onPress={() => setOpen(open === keyOf(p) ? null : keyOf(p))}
              >
                {open === keyOf(p) ? 'Close' : p.state === 'open' ? 'Record' : 'Again'}
              </Button>
            )}
            {open === keyOf(p) && (
              <div>
                {(p.id === 'contactors' || p.id === 'board-agrees') && (
                  <>
                    <Suspense fallback={<Mute>Fetching …</Mute>}>
                      {p.id === 'contactors' ? (
                        <BusForm onDone={() => done(p)} />
                      ) : (
                        <BoardForm place={p.place} onDone={() => done(p)} />
                      )}
                    </Suspense>
                    <h4 style={{ margin: '14px 0 6px' }}>
                      {p.id === 'contactors'
                        ? 'Or listened to, without a log'
                        : 'Or its widest difference alone'}
                    </h4>
                  </>
                )}
                <Looked
                  check={p.id}
                  place={p.place}
                  asks={`${p.asks}.`}
                  unit={p.unit === 'km' ? distanceUnit() : p.unit}
                  {...(p.unit === 'km' ? { kept: kmOfShown } : {})}
                  yes="Seen, and right"
                  no="Not right"
                  onDone={() => done(p)}
                />
              </div>
            )}
          </Line>
        ))}
      </List>
    </Sheet>
  );
}
