import type { BoardRow } from '@cellmend/contract/jobs';
import type { Person } from '@cellmend/contract/people';
import { PHASES } from '@cellmend/core/route';
import styled from 'styled-components';
import { useBoard } from '../api/hooks';
import { Plus } from 'lucide-react';
import { Suspense, useState } from 'react';
import { WorkshopFrame } from '../shell/Header';
import { lazily } from '../shell/lazily';
import { Button, LinkButton, Mute, Row, Sheet } from '../ui/parts';
import { temperature } from '../ui/units';
import { since, when } from '../ui/words';

const NewJob = lazily<Parameters<(typeof import('./NewJob'))['NewJob']>[0], typeof import('./NewJob')>(
  () => import('./NewJob'),
  'NewJob',
);

const Main = styled.div`
  padding: 22px 28px;
  overflow: auto;
  > * {
    max-width: 1080px;
  }
  > form,
  > section {
    margin-top: 14px;
  }
  > h2 {
    font-size: var(--t-m);
    color: var(--mute);
    margin: 18px 0 8px;
  }
`;
const Card = styled.article<{ $now: boolean }>`
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr) minmax(120px, auto) 132px;
  gap: 18px;
  align-items: center;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 12px 16px;
  margin-bottom: 8px;
  ${(p) => p.$now && 'border-left: 6px solid var(--mat-text); padding-left: 11px;'}
  h3 {
    font-size: var(--t-l);
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .when {
    font-size: var(--t-xl);
    font-weight: 700;
    text-align: right;
    small {
      display: block;
      font-size: var(--t-xs);
      font-weight: 500;
      color: var(--mute);
    }
  }
  @media (max-width: 800px) {
    grid-template-columns: minmax(0, 1fr) auto;
    > :last-child {
      grid-column: 1 / -1;
    }
    svg {
      display: none;
    }
  }
  @media (max-width: 500px) {
    grid-template-columns: minmax(0, 1fr);
    .when {
      text-align: left;
    }
  }
`;

/** The pack in little: its modules where they lie, suspects and replaced ones marked. */
function Miniature({ row }: { row: BoardRow }) {
  const columns = Math.max(...row.tiles.map((t) => t.column)) + 1;
  const tiers = Math.max(...row.tiles.map((t) => t.tier)) + 1;
  const rowsOf = Array.from(
    { length: tiers },
    (_, t) => Math.max(...row.tiles.filter((k) => k.tier === t).map((k) => k.row)) + 1,
  );
  const total = rowsOf.reduce((a, b) => a + b, 0);
  const h = 60 / total;
  const w = 84 / columns;
  return (
    <svg width={84} height={60} aria-hidden>
      {row.tiles.map((t, i) => {
        const mark = row.marks.find((m) => m.module === i)?.kind;
        const y = (rowsOf.slice(0, t.tier).reduce((a, b) => a + b, 0) + t.row) * h;
        return (
          <rect
            key={i}
            x={t.column * w + 1}
            y={y + 0.7}
            width={w - 2}
            height={Math.max(1, h - 1.6)}
            fill={mark === 'suspect' ? 'var(--sus)' : mark === 'replaced' ? 'var(--mat-text)' : 'var(--zero)'}
          />
        );
      })}
    </svg>
  );
}

const WORDS = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine'];
const count = (n: number): string => WORDS[n] ?? String(n);

function JobCard({ row }: { row: BoardRow }) {
  const stage = PHASES.flatMap((p) => p.stages).find((s) => s.id === row.stage)!;
  return (
    <Card $now={row.group === 'now'}>
      <Miniature row={row} />
      <div>
        <h3>
          Job {row.number}, {row.title}
        </h3>
        <Mute>{row.detail}</Mute>
        {row.bench && <OnBench bench={row.bench} />}
      </div>
      <div className="when">
        {row.need}
        <small>{row.dueAt ? when(row.dueAt) : row.when ? `for ${since(row.when)}` : ''}</small>
      </div>
      <LinkButton to={`/jobs/${row.number}/${row.stage}`} $quiet={row.group !== 'now'}>
        {stage.name}
      </LinkButton>
    </Card>
  );
}

/** What the bench does for a job; one that was interrupted asks for somebody. */
function OnBench({ bench: { on, waits, overAt, warmest } }: { bench: NonNullable<BoardRow['bench']> }) {
  return (
    <p>
      {waits > 0 && (
        <b style={{ color: 'var(--sus)' }}>
          {waits} interrupted on the bench{on > 0 && ', '}
        </b>
      )}
      {on > 0 &&
        `${on} ${waits > 0 ? 'on' : 'on the bench'}${overAt ? `, the first over ${when(overAt)}` : ''}${warmest ? `, warmest ${warmest.place} ${temperature(warmest.c)}` : ''}`}
    </p>
  );
}

/** Home: what needs a person next. */
export function Board({ person }: { person: Person }) {
  const { data } = useBoard();
  // Whoever went to describe a pack comes back to the job that waits for it.
  const [opening, setOpening] = useState(() => new URLSearchParams(location.search).get('new') === 'job');
  const now = data?.rows.filter((r) => r.group === 'now') ?? [];
  const running = data?.rows.filter((r) => r.group === 'running') ?? [];
  const closed = data?.rows.filter((r) => r.group === 'closed') ?? [];
  const needs =
    now.length === 0
      ? 'Nothing needs you now'
      : `${count(now.length)} ${now.length === 1 ? 'job needs' : 'jobs need'} you`;
  const runs =
    running.length === 0
      ? ''
      : `, ${count(running.length).toLowerCase()} ${running.length === 1 ? 'is running by itself' : 'are running by themselves'}`;
  return (
    <WorkshopFrame person={person}>
      <Main>
        {data && (
          <>
            <Row>
              <h1 style={{ flex: 1 }}>
                {needs}
                {runs}
              </h1>
              {person.mayWrite && !opening && (
                <Button quiet onPress={() => setOpening(true)}>
                  <Plus size={18} />
                  New job
                </Button>
              )}
            </Row>
            {opening && (
              <Suspense fallback={null}>
                <NewJob onClose={() => setOpening(false)} />
              </Suspense>
            )}
            {now.length > 0 && <h2>Now</h2>}
            {now.map((r) => (
              <JobCard key={r.number} row={r} />
            ))}
            {running.length > 0 && <h2>Running by themselves</h2>}
            {running.map((r) => (
              <JobCard key={r.number} row={r} />
            ))}
            {closed.length > 0 && <h2>Handed over</h2>}
            {closed.map((r) => (
              <JobCard key={r.number} row={r} />
            ))}
            {data.rows.length === 0 && (
              <Sheet>
                <p>No jobs yet.</p>
              </Sheet>
            )}
          </>
        )}
      </Main>
    </WorkshopFrame>
  );
}
