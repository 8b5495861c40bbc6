import type { LiveState, ScanPicture } from '@cellmend/contract/scans';
import { median } from '@cellmend/core/diagnosis';
import { useEffect, useState } from 'react';
import styled from 'styled-components';
import useSWR from 'swr';
import { ApiProblem, get, send } from '../../api/client';
import { usePassing } from '../../api/live';
import { useJobView } from '../../shell/jobContext';
import { Button, Mute, NextBar, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { fixed, ohms, percent, signed } from '../../ui/words';
import { Definitions } from './Definitions';
import { useGateway } from './Gateway';
import { DeviationPicture } from './DeviationPicture';

const Now = styled.dl`
  display: flex;
  gap: 10px 24px;
  margin: 0;
  flex-wrap: wrap;
  dt {
    color: var(--mute);
    font-size: var(--t-xs);
  }
  dd {
    margin: 0;
    font-size: var(--t-xl);
    font-weight: 700;
    white-space: nowrap;
  }
`;

/** Moments shown while it runs; the record itself keeps all. */
const SHOWN_MOMENTS = 120;

/** The last moments of a live scan as a picture of deviations. */
function pictureOf(history: readonly LiveState[]): ScanPicture {
  const middle = history.map((s) => median(s.voltageV.filter((v): v is number => v !== null)));
  return {
    timeS: history.map((_, k) => k * 0.7),
    currentA: history.map((s) => s.currentA),
    deviationMv: history[0]!.voltageV.map((_, c) =>
      history.map((s, k) => (s.voltageV[c] == null ? null : (s.voltageV[c] - middle[k]!) * 1000)),
    ),
  };
}

/** Reads the vehicle as it stands or drives, through a CAN gateway; ends as a scan like any other. */
export function Live({ role, onKept }: { role: 'before' | 'after'; onKept: () => Promise<void> }) {
  const { job, demo } = useJobView();
  const { data: stored } = useSWR<LiveState | null>(`/jobs/${job.number}/live`, get);
  const [state, setState] = useState<LiveState | null>(null);
  const [problem, setProblem] = useState<{ what: string; accepted?: string } | null>(null);
  const [busy, setBusy] = useState(false);
  const gateway = useGateway();
  useEffect(() => setState((s) => s ?? stored ?? null), [stored]);
  const [history, setHistory] = useState<LiveState[]>([]);
  usePassing((m) => {
    if (m.topic !== 'live' || m.job !== job.number) return;
    setState(m.state);
    setHistory((h) => [...h.filter((s) => s.id === m.state.id), m.state].slice(-SHOWN_MOMENTS));
  });
  const act = async (work: () => Promise<void>): Promise<void> => {
    setBusy(true);
    setProblem(null);
    try {
      await work();
    } catch (e) {
      setProblem({
        what: (e as Error).message,
        ...(e instanceof ApiProblem && e.problem.accepted ? { accepted: e.problem.accepted } : {}),
      });
    } finally {
      setBusy(false);
    }
  };
  const start = (source: object): Promise<void> =>
    act(async () => setState(await send('POST', `/jobs/${job.number}/live`, { source, role })));
  if (state) {
    const known = state.voltageV.filter((v): v is number => v !== null);
    const deltaMv = known.length > 1 ? (Math.max(...known) - Math.min(...known)) * 1000 : null;
    return (
      <Sheet aria-live="off">
        <Stack>
          <h3>
            {state.state === 'reading'
              ? 'Reading the vehicle'
              : state.state === 'failed'
                ? 'The vehicle was lost'
                : 'Stopped'}
          </h3>
          <Mute>{state.message}</Mute>
          <Now>
            <div>
              <dt>Readings</dt>
              <dd className="n">{state.readings}</dd>
            </div>
            <div>
              <dt>Current</dt>
              <dd className="n">{state.currentA === null ? '–' : `${signed(state.currentA, 0)} A`}</dd>
            </div>
            <div>
              <dt>Median channel</dt>
              <dd className="n">{known.length ? `${fixed(median(known), 3)} V` : '–'}</dd>
            </div>
            <div>
              <dt>Delta</dt>
              <dd className="n">{deltaMv === null ? '–' : `${fixed(deltaMv, 0)} mV`}</dd>
            </div>
            <div>
              <dt>Reported charge</dt>
              <dd className="n">{state.socFraction === null ? '–' : percent(state.socFraction)}</dd>
            </div>
            {state.packV !== null && (
              <div>
                <dt>Pack · channels’ sum</dt>
                <dd className="n">
                  {fixed(state.packV, 1)} ·{' '}
                  {known.length === state.voltageV.length
                    ? fixed(
                        known.reduce((a, b) => a + b, 0),
                        1,
                      )
                    : '–'}{' '}
                  V
                </dd>
              </div>
            )}
            {state.insulationOhm !== null && (
              <div>
                <dt>Insulation</dt>
                <dd className="n">{ohms(state.insulationOhm)}</dd>
              </div>
            )}
            <div>
              <dt>Codes</dt>
              <dd className="n">{state.codes.length ? state.codes.map((c) => c.code).join(' ') : 'none'}</dd>
            </div>
          </Now>
          {history.length > 2 && <DeviationPicture picture={pictureOf(history)} height={230} />}
          {problem && <ProblemNote {...problem} />}
          <Row>
            <Button
              isDisabled={busy || state.readings === 0}
              onPress={() =>
                void act(async () => {
                  await send('POST', `/jobs/${job.number}/live/keep`);
                  setState(null);
                  await onKept();
                })
              }
            >
              {busy ? 'Taking it in …' : 'Stop and keep'}
            </Button>
            <Button
              quiet
              isDisabled={busy}
              onPress={() =>
                void act(async () => {
                  await send('DELETE', `/jobs/${job.number}/live`);
                  setState(null);
                })
              }
            >
              Throw away
            </Button>
          </Row>
        </Stack>
      </Sheet>
    );
  }
  return (
    <Sheet>
      <Stack>
        <h3>Read the vehicle live</h3>
        {gateway.fields}
        {problem && <ProblemNote {...problem} />}
        <Definitions />
        <NextBar>
          <div>
            Reads only: cell voltages, current, temperatures and stored codes. Nothing is written or cleared.
          </div>
          {demo && (
            <Button quiet isDisabled={busy} onPress={() => void start({ kind: 'demo' })}>
              Demo vehicle
            </Button>
          )}
          <Button isDisabled={busy || !gateway.source} onPress={() => void start(gateway.source!)}>
            {busy ? 'Connecting …' : 'Start'}
          </Button>
        </NextBar>
      </Stack>
    </Sheet>
  );
}
