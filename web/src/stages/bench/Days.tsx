import type { DaysAnswer, DaysAsk } from '@cellmend/core/bench';
import { fullV } from '@cellmend/core/pack';
import { addHours, format, getDay } from 'date-fns';
import { CalendarPlus } from 'lucide-react';
import { ToggleButton } from 'react-aria-components';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Button, DataTable, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { duration, fixed } from '../../ui/words';
import { useThread } from './useBench';

const number = (text: string): number => Number(text.trim().replace(',', '.'));
const QUARTER_MS = 15 * 60_000;
const WEEK = ['Su', 'Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa'];

/** How many days on the bench, and when hands are needed: with and without putting one set into another. */
export function Days({ left }: { left: readonly string[] }) {
  const { job, pack } = useJobView();
  const cells = pack.modules[0]!.groupIndices.length;
  const [t, setT] = useDraft(`${job.number}.bench-days`, {
    sets: String(left.length),
    capacityAh: String(pack.profile.ratedCapacityAh),
    voltageV: fixed(fullV(pack.profile, cells), 0),
    channels: '2',
    channelA: '10',
    powerKw: '3',
    persons: '1',
    from: '8',
    to: '17',
    days: [1, 2, 3, 4, 5] as number[],
    alone: 'alone',
    transfer: 'single',
  });
  // From the next quarter of an hour on, which is what the plan counts in.
  const now = new Date(Math.ceil(Date.now() / QUARTER_MS) * QUARTER_MS);
  const count = Math.round(number(t.sets));
  const f = {
    capacityAh: number(t.capacityAh),
    voltageV: number(t.voltageV),
    channels: Math.round(number(t.channels)),
    channelA: number(t.channelA),
    powerBudgetKw: number(t.powerKw),
    persons: Math.round(number(t.persons)),
    toHour: number(t.to),
  };
  const right =
    count >= 1 &&
    count <= 60 &&
    Object.values(f).every((v) => v > 0) &&
    f.channels <= 24 &&
    number(t.from) >= 0 &&
    number(t.to) > number(t.from) &&
    number(t.to) <= 24 &&
    t.days.length > 0;
  const ask: DaysAsk | null = right
    ? {
        ...f,
        sets: Array.from({ length: count }, (_, i) => left[i] ?? `set ${i + 1}`),
        fromHour: number(t.from),
        workdays: [...t.days].sort(),
        alone: t.alone === 'alone',
        transfer: t.transfer === 'pairs',
        startDay: getDay(now),
        startHour: now.getHours() + now.getMinutes() / 60,
      }
    : null;
  const { answer, problem, busy } = useThread('days', ask);
  const input = (
    key: 'sets' | 'capacityAh' | 'voltageV' | 'channels' | 'channelA' | 'powerKw' | 'persons' | 'from' | 'to',
    label: string,
  ) => (
    <Field style={{ flex: '1 1 92px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        value={t[key]}
        onChange={(e) => setT({ ...t, [key]: e.target.value })}
      />
    </Field>
  );
  return (
    <Sheet aria-label="Days on the bench">
      <Stack>
        <h2>How many days on the bench?</h2>
        <Row style={{ flexWrap: 'wrap' }}>
          {input('sets', 'Sets')}
          {input('capacityAh', 'A·h each')}
          {input('voltageV', 'V each')}
          {input('channels', 'Channels')}
          {input('channelA', 'A a channel')}
          {input('powerKw', 'Socket, kW')}
          {input('persons', 'Persons')}
          {input('from', 'There from')}
          {input('to', 'until')}
        </Row>
        <Row style={{ flexWrap: 'wrap' }}>
          <Chips
            selectionMode="multiple"
            selectedKeys={t.days.map(String)}
            onSelectionChange={(k) => setT({ ...t, days: [...k].map(Number) })}
            aria-label="Working days"
          >
            {[1, 2, 3, 4, 5, 6, 0].map((d) => (
              <ToggleButton key={d} id={String(d)}>
                {WEEK[d]}
              </ToggleButton>
            ))}
          </Chips>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[t.alone]}
            onSelectionChange={(k) => setT({ ...t, alone: String([...k][0]) })}
            aria-label="Who is there"
          >
            <ToggleButton id="alone">may run alone</ToggleButton>
            <ToggleButton id="watched">only watched</ToggleButton>
          </Chips>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[t.transfer]}
            onSelectionChange={(k) => setT({ ...t, transfer: String([...k][0]) })}
            aria-label="How"
          >
            <ToggleButton id="single">one by one</ToggleButton>
            <ToggleButton id="pairs">one into another</ToggleButton>
          </Chips>
        </Row>
        {!right && (
          <Mute>Every figure above zero, up to 60 sets and 24 channels, and a day with hours in it.</Mute>
        )}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        {busy && ask && <Mute>Working it out …</Mute>}
        {answer && <Plan answer={answer} from={now} channels={f.channels} />}
      </Stack>
    </Sheet>
  );
}

/** The plan as a file that calendars read; what writes it is fetched when it is first asked for. */
async function toCalendar(
  answer: DaysAnswer,
  from: Date,
  job: { number: number; title: string },
): Promise<void> {
  const { calendarOf } = await import('./calendar');
  const url = URL.createObjectURL(new Blob([calendarOf(answer, from, job)], { type: 'text/calendar' }));
  const link = document.createElement('a');
  link.href = url;
  link.download = `bench-job-${job.number}.ics`;
  link.click();
  URL.revokeObjectURL(url);
}

function Plan({ answer, from, channels }: { answer: DaysAnswer; from: Date; channels: number }) {
  const { job } = useJobView();
  const clock = (h: number): string => format(addHours(from, h), 'EEE HH:mm');
  const days = Math.ceil(answer.makespanH / 24);
  const [rowH, w] = [34, 760];
  const x = (h: number): number => 46 + (h / answer.makespanH) * (w - 56);
  const tickCount = Math.min(12, Math.max(2, days + 1));
  const ticks = Array.from({ length: tickCount }, (_, i) => (i * answer.makespanH) / (tickCount - 1));
  const next = answer.handsAtH[0];
  return (
    <>
      <p>
        <b>
          Done {clock(answer.makespanH)}, in {duration(answer.makespanH)}.
        </b>{' '}
        {next && `Next hands: ${next.what}, ${clock(next.atH)}. `}
        <Mute>
          {answer.proved ? 'No plan is shorter.' : `None is shorter than ${duration(answer.lowerBoundH)}.`}
        </Mute>
      </p>
      <div style={{ overflowX: 'auto' }} role="region" aria-label="The bench" tabIndex={0}>
        <svg
          viewBox={`0 0 ${w} ${channels * rowH + 26}`}
          style={{ width: '100%', minWidth: 560, height: 'auto' }}
          role="img"
          aria-label="What runs on which channel, and when"
        >
          {ticks.map((h) => (
            <g key={h}>
              <line x1={x(h)} x2={x(h)} y1={18} y2={channels * rowH + 22} stroke="var(--line)" />
              <text
                x={x(h)}
                y={13}
                textAnchor={h === 0 ? 'start' : h === answer.makespanH ? 'end' : 'middle'}
                fontSize={11.5}
                fill="var(--mute)"
              >
                {clock(h)}
              </text>
            </g>
          ))}
          {Array.from({ length: channels }, (_, c) => (
            <text
              key={c}
              x={0}
              y={22 + rowH * (c + 0.5) + 5}
              fontSize={12.5}
              fontWeight={700}
              fill="var(--ink)"
            >
              Ch {c + 1}
            </text>
          ))}
          {answer.modules.map((m) => {
            const starts = answer.startH[m.id]!;
            const c = answer.channelOf[m.id]!;
            const end = starts.at(-1)! + m.steps.at(-1)!.hours;
            return (
              <g key={m.id}>
                {m.steps.map((s, k) => (
                  <rect
                    key={k}
                    x={x(starts[k]!)}
                    y={24 + rowH * c}
                    width={Math.max(1, x(starts[k]! + s.hours) - x(starts[k]!) - 1)}
                    height={rowH - 8}
                    rx={2}
                    fill={
                      s.name === 'rest' ? 'var(--sheet)' : s.name === 'connect' ? 'var(--sus)' : 'var(--chip)'
                    }
                    stroke="var(--edge)"
                  />
                ))}
                {x(end) - x(starts[0]!) > 40 && (
                  <text
                    x={(x(starts[0]!) + x(end)) / 2}
                    y={24 + rowH * c + 17}
                    textAnchor="middle"
                    fontSize={11.5}
                    fill="var(--ink)"
                  >
                    {m.id}
                  </text>
                )}
              </g>
            );
          })}
        </svg>
      </div>
      <Row>
        <Button quiet onPress={() => void toCalendar(answer, from, job)}>
          <CalendarPlus size={18} aria-hidden />
          For the calendar
        </Button>
      </Row>
      <DataTable>
        <thead>
          <tr>
            <th>Connect</th>
            <th>When</th>
            <th>On</th>
          </tr>
        </thead>
        <tbody>
          {answer.handsAtH.slice(0, 12).map((h) => (
            <tr key={h.what}>
              <td>
                <b>{h.what}</b>
              </td>
              <td>{clock(h.atH)}</td>
              <td>channel {answer.channelOf[h.what]! + 1}</td>
            </tr>
          ))}
        </tbody>
      </DataTable>
    </>
  );
}
