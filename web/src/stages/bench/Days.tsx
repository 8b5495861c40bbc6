import type { SupervisedRun } from '@cellmend/contract/supervised';
import type { DaysAsk } from '@cellmend/core/bench';
import { fullV } from '@cellmend/core/pack';
import { addDays } from 'date-fns';
import { ToggleButton } from 'react-aria-components';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { day, duration, fixed } from '../../ui/words';
import { useWorkshop } from '../../api/hooks';
import { Plan, Slipped } from './DaysPlan';
import { benchDraft, FIRST_HOURS, hoursOf, nextQuarter } from './hours';
import { useThread } from './useBench';
import { useBeside } from './useSupervised';

const number = (text: string): number => Number(text.trim().replace(',', '.'));
const WEEK = ['Su', 'Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa'];

/** How many days on the bench, and when hands are needed: with and without putting one set into another. */
export function Days({ left: all, runs }: { left: readonly string[]; runs: readonly SupervisedRun[] }) {
  const { job, pack } = useJobView();
  const cells = pack.modules[0]!.groupIndices.length;
  // In the quarters that the plan counts in: a reading that comes in is no new question.
  const { data: beside } = useBeside(job.number);
  const { data: workshop } = useWorkshop();
  const quarters = (h: number): number => Math.max(0.25, Math.ceil(h * 4) / 4);
  const own = runs.flatMap((r) =>
    r.state === 'running' && r.runLeftS !== null
      ? [{ id: r.place, leftH: quarters(r.runLeftS / 3600 / r.timeScale) }]
      : [],
  );
  const mine = all.filter((id) => !own.some((r) => r.id === id));
  const [t, setT] = useDraft(benchDraft(job.number), {
    sets: String(mine.length),
    capacityAh: String(pack.profile.ratedCapacityAh),
    voltageV: fixed(fullV(pack.profile, cells), 0),
    ...FIRST_HOURS,
    channels: String(Math.max(2, own.length)),
    beside: [] as number[],
    channelA: '10',
    transfer: 'single',
  });
  const now = nextQuarter();
  const others = (beside?.alike ?? []).filter((a) => t.beside?.includes(a.job));
  const left = [...mine, ...others.flatMap((a) => a.places.map((p) => `${a.job} ${p}`))];
  const count = Math.round(number(t.sets));
  const hours = hoursOf(t, workshop?.closedOn ?? [], now);
  const closed = hours?.closedDays ?? [];
  const f = {
    capacityAh: number(t.capacityAh),
    voltageV: number(t.voltageV),
    channelA: number(t.channelA),
  };
  // What other jobs have on the bench takes its channels as well, where those are among the ones that are counted here.
  const elsewhere = (beside?.running ?? []).map((r) => ({
    id: `${r.job} ${r.place || 'pack'}`,
    leftH: quarters(r.leftH),
  }));
  const shared = (hours?.channels ?? 0) >= own.length + elsewhere.length;
  const running = shared ? [...own, ...elsewhere] : own;
  const right = count >= 1 && count <= 60 && Object.values(f).every((v) => v > 0);
  const ask: DaysAsk | null =
    right && hours
      ? {
          ...f,
          ...hours,
          sets: Array.from({ length: count }, (_, i) => left[i] ?? `set ${i + 1}`),
          transfer: t.transfer === 'pairs',
          running,
        }
      : null;
  const { answer, problem, busy } = useThread('days', ask);
  const { answer: other } = useThread('days', ask && { ...ask, transfer: !ask.transfer });
  const [single, pairs] = ask?.transfer ? [other, answer] : [answer, other];
  const input = (
    key:
      | 'sets'
      | 'capacityAh'
      | 'voltageV'
      | 'channels'
      | 'channelA'
      | 'leadSets'
      | 'powerKw'
      | 'persons'
      | 'from'
      | 'to',
    label: string,
  ) => (
    <Field style={{ flex: '1 1 92px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        value={t[key] ?? ''}
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
          {input('leadSets', 'Lead sets')}
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
        {(beside?.alike.length ?? 0) > 0 && (
          <Chips
            selectionMode="multiple"
            selectedKeys={others.map((a) => String(a.job))}
            onSelectionChange={(k) => {
              const chosen = [...k].map(Number);
              const more = (beside?.alike ?? [])
                .filter((a) => chosen.includes(a.job))
                .reduce((n, a) => n + a.places.length, 0);
              setT({ ...t, beside: chosen, sets: String(mine.length + more) });
            }}
            aria-label="Planned with it"
          >
            {beside!.alike.map((a) => (
              <ToggleButton key={a.job} id={String(a.job)}>
                with job {a.job}, {a.title}: {a.places.length}
              </ToggleButton>
            ))}
          </Chips>
        )}
        {elsewhere.length > 0 && (
          <Mute>
            {elsewhere.length} {elsewhere.length === 1 ? 'runs' : 'run'} for other jobs
            {shared ? ', on these channels.' : `: not on these ${hours?.channels ?? 0} channels.`}
          </Mute>
        )}
        {closed.length > 0 && (
          <Mute>
            Closed on{' '}
            {closed
              .slice(0, 6)
              .map((d) => day(addDays(now, d).toISOString()))
              .join(', ')}
            {closed.length > 6 && ` and ${closed.length - 6} more`}.
          </Mute>
        )}
        {!ask && (
          <Mute>Every figure above zero, up to 60 sets and 24 channels, and a day with hours in it.</Mute>
        )}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        {busy && ask && <Mute>Working it out …</Mute>}
        {single && pairs && (
          <Row $gap={18}>
            <span>One by one: {duration(single.makespanH)}</span>
            <span>One into another: {duration(pairs.makespanH)}</span>
          </Row>
        )}
        {answer && <Slipped answer={answer} from={now} />}
        {answer && (
          <Plan answer={answer} from={now} channels={Math.max(hours?.channels ?? 0, running.length)} />
        )}
      </Stack>
    </Sheet>
  );
}
