import type { Clock } from '@cellmend/contract/records';
import { STAGE_FACTS, type Stage } from '@cellmend/core/route';
import { AlarmClockPlus, TimerReset } from 'lucide-react';
import { useEffect, useState, type FormEvent } from 'react';
import { Button as AriaButton, Dialog, DialogTrigger, ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../api/client';
import { take } from '../api/queue';
import { Input, Field } from '../ui/Field';
import { Chips } from '../ui/Chips';
import { Button, Mute, Row, Stack } from '../ui/parts';
import { keep } from './entries';
import { Pop, Tool } from './footerParts';
import { useJobView } from './jobContext';

const Tray = styled.div`
  display: flex;
  gap: 14px;
  align-items: center;
  flex: 1;
  min-width: 0;
  @media (max-width: 1000px) {
    order: 5;
    flex: 1 1 100%;
    gap: 0 14px;
  }
  @media (max-width: 640px) {
    order: 0;
    flex: 1 1 150px;
  }
`;
const One = styled(AriaButton)<{ $over: boolean }>`
  background: none;
  border: 0;
  padding: 0 4px;
  min-height: 44px;
  min-width: 0;
  cursor: pointer;
  display: inline-flex;
  align-items: center;
  gap: 7px;
  b {
    font-weight: 700;
  }
  ${(p) => p.$over && 'background: var(--ink); color: var(--sheet); border-radius: 6px; padding: 0 10px; b { font-weight: 750; }'}
`;
/** What it is may be cut; its job number never is. */
const What = styled.span`
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 0;
`;
const Whose = styled.span`
  white-space: nowrap;
`;
const clock = (seconds: number): string => {
  const s = Math.max(0, Math.round(seconds));
  const h = Math.floor(s / 3600);
  const mm = String(Math.floor((s % 3600) / 60)).padStart(2, '0');
  const ss = String(s % 60).padStart(2, '0');
  return h >= 48 ? `${Math.floor(h / 24)} d ${h % 24} h` : `${h}:${mm}:${ss}`;
};
const leftS = (c: Clock, nowMs: number): number => (new Date(c.endsAt).getTime() - nowMs) / 1000;

/** Those of this job first; among them, and among the rest, what ends soonest. */
export const clocksInOrder = (clocks: readonly Clock[], job: number): Clock[] =>
  [...clocks].sort(
    (a, b) => Number(b.jobNumber === job) - Number(a.jobNumber === job) || a.endsAt.localeCompare(b.endsAt),
  );

/** Everything that runs; an ended clock stays until somebody puts it away, and shows in the page's title. */
export function Clocks({ stage }: { stage: Stage }) {
  const { person, job } = useJobView();
  const { data } = useSWR<Clock[]>('/clocks', get, { refreshInterval: 30_000 });
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  const clocks = clocksInOrder(data ?? [], job.number);
  const over = clocks.filter((c) => leftS(c, now) <= 0);
  useEffect(() => {
    document.title = over.length > 0 ? `(${over.length}) ${over[0]!.label} is over` : 'Bold Cellmend';
  }, [over.length, over]);
  const [first, ...rest] = clocks;
  const restOver = rest.filter((c) => leftS(c, now) <= 0).length;
  return (
    <Tray role="group" aria-label="Clocks">
      {first && (
        <DialogTrigger>
          <One $over={leftS(first, now) <= 0}>
            <b className="n">{leftS(first, now) <= 0 ? 'Overdue' : clock(leftS(first, now))}</b>
            <What>{first.label}</What>
            {first.jobNumber !== null && first.jobNumber !== job.number && (
              <Whose>job {first.jobNumber}</Whose>
            )}
          </One>
          <Pop>
            <Dialog aria-label={first.label}>
              <List clocks={[first]} now={now} />
            </Dialog>
          </Pop>
        </DialogTrigger>
      )}
      {rest.length > 0 && (
        <DialogTrigger>
          <Tool>
            {rest.length} more{restOver > 0 && `, ${restOver} over`}
          </Tool>
          <Pop>
            <Dialog aria-label="Other clocks">
              <List clocks={rest} now={now} />
            </Dialog>
          </Pop>
        </DialogTrigger>
      )}
      {person.mayWrite && <NewClock stage={stage} />}
    </Tray>
  );
}

const Lines = styled.ul`
  && {
    margin: 0;
  }
`;
function List({ clocks, now }: { clocks: Clock[]; now: number }) {
  const { person } = useJobView();
  return (
    <Lines>
      {clocks.map((c) => (
        <li key={c.id}>
          <b className="n">{leftS(c, now) <= 0 ? 'Overdue' : clock(leftS(c, now))}</b> {c.label}
          {c.jobNumber !== null && <Mute> job {c.jobNumber}</Mute>}
          {person.mayWrite && (
            <div>
              <Tool
                onPress={() =>
                  void take({
                    path: `/clocks/${c.id}/done`,
                    body: {},
                    label: `${c.label} put away`,
                    jobNumber: c.jobNumber ?? 0,
                  })
                }
              >
                <TimerReset size={18} aria-hidden />
                Put away
              </Tool>
            </div>
          )}
        </li>
      ))}
    </Lines>
  );
}

/** Waits that a bench knows, in minutes. */
const WAITS: [string, number][] = [
  ['15 min', 15],
  ['45 min', 45],
  ['2 h', 120],
  ['6 h', 360],
  ['12 h', 720],
  ['2 d', 2880],
];

function NewClock({ stage }: { stage: Stage }) {
  const { pack, job } = useJobView();
  const [minutes, setMinutes] = useState(45);
  const begin = (event: FormEvent<HTMLFormElement>, close: () => void): void => {
    event.preventDefault();
    const text = String(new FormData(event.currentTarget).get('what')).trim();
    keep({ type: 'clock', minutes, text: text || STAGE_FACTS[stage].name }, pack, job.number, stage);
    close();
  };
  return (
    <DialogTrigger>
      <Tool aria-label="Start a clock">
        <AlarmClockPlus size={19} aria-hidden />
      </Tool>
      <Pop>
        <Dialog aria-label="Start a clock">
          {({ close }) => (
            <form onSubmit={(e) => begin(e, close)}>
              <Stack>
                <b>Start a clock</b>
                <Chips
                  selectionMode="single"
                  disallowEmptySelection
                  selectedKeys={[String(minutes)]}
                  onSelectionChange={(k) => setMinutes(Number([...k][0]))}
                  aria-label="How long"
                >
                  {WAITS.map(([label, m]) => (
                    <ToggleButton key={m} id={String(m)}>
                      {label}
                    </ToggleButton>
                  ))}
                </Chips>
                <Field>
                  For what
                  <Input name="what" maxLength={120} placeholder={`${STAGE_FACTS[stage].name}: rest`} />
                </Field>
                <Row>
                  <Button type="submit">Start</Button>
                </Row>
                <Mute>Any other time in the jot line: clock 6h rest.</Mute>
              </Stack>
            </form>
          )}
        </Dialog>
      </Pop>
    </DialogTrigger>
  );
}
