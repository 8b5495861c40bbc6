import { planChanges, type DaysAnswer, type KeptPlan, type PlanChange } from '@cellmend/core/bench';
import { addHours, format } from 'date-fns';
import { CalendarPlus } from 'lucide-react';
import type { NewPlan } from '@cellmend/contract/bench';
import { take } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Button, DataTable, Mute, NextBar, Row } from '../../ui/parts';
import { duration } from '../../ui/words';

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

const kept = (answer: DaysAnswer, from: Date): KeptPlan => {
  const at = (h: number): number => addHours(from, h).getTime();
  const begun = answer.modules.filter((m) => m.begun);
  return {
    endMs: at(answer.makespanH),
    startMs: Object.fromEntries(answer.handsAtH.map((x) => [x.what, at(x.atH)])),
    overMs: Object.fromEntries(begun.map((m) => [m.id, at(m.steps[0]!.hours)])),
  };
};
const told = (c: PlanChange): string => {
  if (c.what === 'new' || c.what === 'no longer planned') return `${c.id} is ${c.what}`;
  const by = duration(c.minutes / 60);
  if (c.what === 'runs longer') return `${c.id} runs ${by} longer`;
  if (c.what === 'is over sooner') return `${c.id} is over ${by} sooner`;
  return `${c.id} is connected ${by} ${c.what}`;
};
const TOLD = 4;

/** What is not as it was planned. The plan is worked out anew all the time; this tells it from the one people went by. */
export function Slipped({ answer, from }: { answer: DaysAnswer; from: Date }) {
  const { job, pack, person } = useJobView();
  const [plan, setPlan] = useDraft<KeptPlan | null>(`${job.number}.bench-plan`, null);
  const now = kept(answer, from);
  const own = new Set(pack.modules.map((m) => m.id));
  const goBy = (): void => {
    setPlan(now);
    // What of this job is on it: others have plans of their own.
    const sets = Object.keys({ ...now.startMs, ...now.overMs }).filter((id) => own.has(id));
    if (sets.length === 0 || !person.mayWrite) return;
    const body: NewPlan = {
      sets,
      endsAt: new Date(now.endMs).toISOString(),
      observedAt: new Date().toISOString(),
    };
    take({
      path: `/jobs/${job.number}/bench/plans`,
      body,
      label: 'Plan of the bench',
      jobNumber: job.number,
    });
  };
  const keep = (
    <Button quiet onPress={goBy}>
      {plan ? 'Go by the new plan' : 'Go by this plan'}
    </Button>
  );
  if (!plan)
    return (
      <Row>
        {keep}
        <Mute>What slips from it is told here.</Mute>
      </Row>
    );
  const { endMinutes, changes } = planChanges(plan, now);
  if (changes.length === 0 && Math.abs(endMinutes) < 16) return <Mute>As planned.</Mute>;
  return (
    <NextBar aria-label="Not as planned">
      <div role="status">
        <b>
          {Math.abs(endMinutes) < 16
            ? 'The end stays where it was.'
            : `Done ${format(new Date(now.endMs), 'EEE HH:mm')} instead of ${format(new Date(plan.endMs), 'EEE HH:mm')}.`}
        </b>{' '}
        {changes.slice(0, TOLD).map(told).join(', ')}
        {changes.length > TOLD && ` and ${changes.length - TOLD} more`}
        {changes.length > 0 && '.'}
      </div>
      {keep}
    </NextBar>
  );
}

export function Plan({ answer, from, channels }: { answer: DaysAnswer; from: Date; channels: number }) {
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
                      s.name === 'runs'
                        ? 'var(--mat-soft)'
                        : s.name === 'rest'
                          ? 'var(--sheet)'
                          : s.name === 'connect'
                            ? 'var(--sus)'
                            : 'var(--chip)'
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
