import type { SupervisedRun } from '@cellmend/contract/supervised';
import { format } from 'date-fns';
import { CircleStop } from 'lucide-react';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { ApiProblem, send } from '../../api/client';
import { useInstruments } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useWrite } from '../../shell/useWrite';
import { Chips } from '../../ui/Chips';
import { Input } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { temperature } from '../../ui/units';
import { duration, fixed, upper } from '../../ui/words';
import { goesOnWith } from './interrupted';
import { LOOKED } from './StartRuns';
import { overAt } from './useSupervised';

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(300px, 1fr));
  gap: 10px;
`;
const Channel = styled.article<{ $tone: 'on' | 'waits' | 'off' | 'lost' }>`
  border: 1px solid var(--line);
  border-left: 6px solid
    ${(p) => ({ on: 'var(--mat-text)', waits: 'var(--sus)', off: 'var(--edge)', lost: 'var(--hot)' })[p.$tone]};
  border-radius: 4px;
  padding: 10px 12px;
  display: flex;
  flex-direction: column;
  gap: 6px;
  min-width: 0;
`;
const Figures = styled.div`
  display: flex;
  gap: 16px;
  flex-wrap: wrap;
  font-size: var(--t-l);
  font-weight: 700;
  font-variant-numeric: tabular-nums;
`;
const [W, H] = [280, 44];
/** Two modules that run together, and a pack that is woken: neither is taken up where it was left. */
const PAIRED: readonly string[] = ['give', 'take', 'wake'];

/** What each channel of the bench does now, and what was interrupted. */
export function Running({ runs }: { runs: readonly SupervisedRun[] }) {
  if (runs.length === 0) return null;
  const on = runs.filter((r) => r.state === 'running').length;
  const waits = runs.filter((r) => r.state === 'interrupted').length;
  return (
    <Sheet aria-label="On the bench now">
      <Stack $gap={8}>
        <Row>
          <h2 style={{ flex: 1 }}>On the bench now</h2>
          <Mute>
            {runs.some((r) => r.simulated) &&
              `Simulated, ${Math.max(...runs.map((r) => r.timeScale))} × time. `}
            {on} on{waits > 0 && `, ${waits} to go on or to leave`}
          </Mute>
        </Row>
        <Grid>
          {runs.map((r) => (
            <OneRun key={r.id} run={r} />
          ))}
        </Grid>
      </Stack>
    </Sheet>
  );
}

function OneRun({ run }: { run: SupervisedRun }) {
  const { pack, person, select, refresh } = useJobView();
  const write = useWrite();
  const { data: instruments, mutate: again } = useInstruments();
  const [asks, setAsks] = useState(false);
  const [looked, setLooked] = useState(false);
  const running = run.state === 'running';
  const waits = run.state === 'interrupted';
  const next = goesOnWith(run, instruments ?? []);
  const r = run.reading;
  const over = overAt(run);
  const doing = run.cools ? 'cools' : (run.steps[run.step] ?? 'over');
  const act = async (what: string, body: object = {}): Promise<void> => {
    if (await write.run(`/bench/supervised/${run.id}/${what}`, body)) setAsks(false);
  };
  const [said, setSaid] = useState('');
  const seenOff = async (note: string): Promise<void> => {
    setSaid('');
    try {
      await send('POST', `/instruments/${run.instrumentId}/off`, { note });
      await Promise.all([refresh(), again()]);
    } catch (e) {
      setSaid(e instanceof ApiProblem ? e.message : 'The server is away; nothing was noted.');
    }
  };
  return (
    <Channel
      $tone={run.output === 'unknown' ? 'lost' : running ? 'on' : waits ? 'waits' : 'off'}
      aria-label={`${run.place || 'The pack'} on ${run.instrument}`}
    >
      <Row $gap={8} style={{ flexWrap: 'nowrap', alignItems: 'baseline' }}>
        <Name type="button" onClick={() => select(pack.modules.findIndex((m) => m.id === run.place))}>
          {run.place || 'The pack'}
        </Name>
        <span style={{ flex: 1, minWidth: 0 }}>
          {run.recipeName}, {run.instrument}
        </span>
      </Row>
      {run.output === 'unknown' && (
        <>
          <b style={{ color: 'var(--hot)' }}>
            Whether its output is off is not known. Look at {run.instrument}, and switch it off by hand.
          </b>
          {person.mayWrite && (
            <LookedAt instrument={run.instrument} busy={write.busy} onSay={(note) => void seenOff(note)} />
          )}
          {said && <ProblemNote what={said} />}
        </>
      )}
      {r && (
        <Figures>
          <span>{fixed(r.voltageV, 2)} V</span>
          <span>
            {fixed(Math.abs(r.currentA), 1)} A{r.currentA < -0.01 ? ' in' : r.currentA > 0.01 ? ' out' : ''}
          </span>
          {r.temperatureC !== null && <span>{temperature(r.temperatureC)}</span>}
        </Figures>
      )}
      <Course run={run} />
      {running && (
        <span>
          <b>{upper(doing)}</b>, {run.step + 1} of {run.steps.length}
          {run.ends && `, to ${run.ends}`}
          {over && `. Over about ${format(over, 'HH:mm')}`}
        </span>
      )}
      {!running && run.why !== '' && <span>{upper(run.why)}.</span>}
      {!running && !waits && run.kept && <span>Done: it is in the record.</span>}
      {!running && !waits && !run.kept && run.why === '' && <span>Done: being written down.</span>}
      {write.problem && <ProblemNote what={write.problem.what} accepted={write.problem.accepted} />}
      <Row $gap={8}>
        <Mute style={{ flex: '1 1 120px' }}>
          {fixed(run.inAh, 2)} A·h in, {fixed(run.outAh, 2)} out in {duration(run.runS / 3600)}. {run.by}
        </Mute>
        {person.mayWrite && running && run.recipe === 'wake' && (
          <Button isDisabled={write.busy} onPress={() => void act('answered')}>
            It answers
          </Button>
        )}
        {person.mayWrite && running && (
          <Button quiet isDisabled={write.busy} onPress={() => void act('stop')}>
            <CircleStop size={18} aria-hidden />
            Output off
          </Button>
        )}
      </Row>
      {person.mayWrite && waits && run.output === 'off' && !asks && (
        <Row>
          {!PAIRED.includes(run.recipe) && (
            <Button isDisabled={write.busy || !next} onPress={() => setAsks(true)}>
              Go on
            </Button>
          )}
          <Button quiet isDisabled={write.busy} onPress={() => void act('end')}>
            Leave it at that
          </Button>
          {!next && !PAIRED.includes(run.recipe) && <Mute>No channel is free.</Mute>}
        </Row>
      )}
      {asks && next && (
        <>
          <Chips
            selectionMode="multiple"
            selectedKeys={looked ? ['looked'] : []}
            onSelectionChange={(k) => setLooked(k.has('looked'))}
            aria-label="Before it goes on"
          >
            <ToggleButton id="looked">{LOOKED}</ToggleButton>
          </Chips>
          <Row>
            <Button
              isDisabled={write.busy || !looked}
              onPress={() => void act('resume', { instrumentId: next.id, looked: true })}
            >
              Go on with {next.name}
            </Button>
          </Row>
        </>
      )}
    </Channel>
  );
}

/** Who looked, and what they saw: only then does anything go on. */
function LookedAt({
  instrument,
  busy,
  onSay,
}: {
  instrument: string;
  busy: boolean;
  onSay: (note: string) => void;
}) {
  const [note, setNote] = useState('');
  return (
    <Row $gap={8}>
      <Input
        aria-label={`What you saw at ${instrument}`}
        placeholder="What you saw: lamp dark"
        value={note}
        maxLength={300}
        style={{ flex: '1 1 260px' }}
        onChange={(e) => setNote(e.target.value)}
      />
      <Button isDisabled={busy || note.trim().length < 3} onPress={() => onSay(note)}>
        I looked: it is off
      </Button>
    </Row>
  );
}

const Name = styled.button`
  background: none;
  border: 0;
  padding: 0;
  min-height: 44px;
  font-size: var(--t-l);
  font-weight: 750;
  color: var(--mat-text);
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
`;

/** Volts since it began: each stretch from its lowest to its highest. */
function Course({ run }: { run: SupervisedRun }) {
  if (run.course.length < 2) return null;
  const end = run.course.at(-1)![0] || 1;
  const low = Math.min(...run.course.map((c) => c[1]));
  const high = Math.max(...run.course.map((c) => c[2]));
  const x = (t: number): number => (t / end) * W;
  const y = (v: number): number => H - 3 - ((v - low) / Math.max(0.05, high - low)) * (H - 6);
  return (
    <svg
      viewBox={`0 0 ${W} ${H}`}
      style={{ width: '100%', height: H }}
      preserveAspectRatio="none"
      role="img"
      aria-label={`Volts so far, ${fixed(low, 2)} to ${fixed(high, 2)}`}
    >
      <polyline
        fill="none"
        stroke="var(--mat-text)"
        strokeWidth={2}
        vectorEffect="non-scaling-stroke"
        points={run.course
          .flatMap(([t, a, b]) => (a === b ? [`${x(t)},${y(a)}`] : [`${x(t)},${y(a)}`, `${x(t)},${y(b)}`]))
          .join(' ')}
      />
    </svg>
  );
}
