import { MOST_RESISTORS, type BankAsk } from '@cellmend/core/bench';
import { fullV, limitValue } from '@cellmend/core/pack';
import { ToggleButton } from 'react-aria-components';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { duration, fixed, percent } from '../../ui/words';
import { readDrawer } from './drawer';
import { useThread } from './useBench';

const number = (text: string): number => Number(text.trim().replace(',', '.'));

/** Which resistors of the drawer take the first discharge, and how they are wired. */
export function LoadBank() {
  const { job, pack } = useJobView();
  const cells = pack.modules[0]!.groupIndices.length;
  const [t, setT] = useDraft(`${job.number}.load-bank`, {
    drawer: '4 × 10 Ω 100 W, 2 × 2.2 Ω 50 W',
    fromV: fixed(fullV(pack.profile, cells), 1),
    toV: fixed(cells * limitValue(pack.profile, 'cellEmptyV'), 1),
    wantedA: '2',
    capacityAh: String(pack.profile.ratedCapacityAh),
    fan: false,
  });
  const resistors = readDrawer(t.drawer);
  const many = resistors !== null && resistors.length > MOST_RESISTORS;
  const figures = {
    fromV: number(t.fromV),
    toV: number(t.toV),
    wantedA: number(t.wantedA),
    capacityAh: number(t.capacityAh),
  };
  const ask: BankAsk | null =
    resistors && !many && Object.values(figures).every((v) => v > 0)
      ? { resistors, ...figures, fan: t.fan }
      : null;
  const { answer, problem, busy } = useThread('bank', ask);
  const input = (key: 'fromV' | 'toV' | 'wantedA' | 'capacityAh', label: string) => (
    <Field style={{ flex: '1 1 96px' }}>
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
    <Sheet aria-label="Load bank">
      <Stack>
        <h2>Which resistors take the discharge?</h2>
        <Field>
          What lies in the drawer: how many, ohms, watts
          <Input value={t.drawer} onChange={(e) => setT({ ...t, drawer: e.target.value })} />
          {resistors === null && <small role="alert">As in 4 × 10 Ω 100 W, 2.2 Ω 50 W.</small>}
          {many && <small role="alert">At most {MOST_RESISTORS} at a time.</small>}
        </Field>
        <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
          {input('fromV', 'From, V')}
          {input('toV', 'To, V')}
          {input('wantedA', 'About, A')}
          {input('capacityAh', 'It holds, A·h')}
          <Chips
            selectionMode="multiple"
            selectedKeys={t.fan ? ['fan'] : []}
            onSelectionChange={(k) => setT({ ...t, fan: [...k].length > 0 })}
            aria-label="Cooling"
          >
            <ToggleButton id="fan">fan on them</ToggleButton>
          </Chips>
        </Row>
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        {busy && ask && <Mute>Trying every way of wiring them …</Mute>}
        {answer && (
          <>
            <p>
              <b>
                {fixed(answer.startA, 1)} A at first, {fixed(answer.endA, 1)} A at the end, about{' '}
                {duration(answer.hours)}.
              </b>{' '}
              <Mute>
                {fixed(answer.powerW, 0)} W together; the hardest, {answer.hardest.id}, takes{' '}
                {fixed(answer.hardest.watt, 0)} W, {percent(answer.hardest.share)} of what it bears, and gets
                some {fixed(answer.riseC, 0)} K warmer than the room.{' '}
                {answer.proved ? 'No strings of these side by side come nearer.' : 'A better one may exist.'}
              </Mute>
            </p>
            <Wiring strings={answer.strings} />
            <Mute>
              On tiles, clear of everything that burns, never alone. Stops at the cut-off, not when it is
              dark.
            </Mute>
          </>
        )}
      </Stack>
    </Sheet>
  );
}

/** Strings side by side between two rails. */
function Wiring({ strings }: { strings: readonly (readonly string[])[] }) {
  const [w, h] = [96, 40];
  const width = Math.max(...strings.map((s) => s.length)) * w + 60;
  const height = strings.length * h + 12;
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      style={{ width: '100%', maxWidth: Math.min(640, width), height: 'auto' }}
      role="img"
      aria-label={strings.map((s) => s.join(' and then ')).join('; beside that ')}
    >
      {[10, width - 10].map((x) => (
        <line key={x} x1={x} x2={x} y1={6} y2={height - 6} stroke="var(--ink)" strokeWidth={3} />
      ))}
      {strings.map((s, k) => {
        const y = 6 + h * (k + 0.5);
        return (
          <g key={k}>
            <line x1={10} x2={width - 10} y1={y} y2={y} stroke="var(--ink)" strokeWidth={1.6} />
            {s.map((id, i) => (
              <g key={i}>
                <rect
                  x={30 + i * w}
                  y={y - 12}
                  width={w - 26}
                  height={24}
                  rx={3}
                  fill="var(--sheet)"
                  stroke="var(--ink)"
                />
                <text
                  x={30 + i * w + (w - 26) / 2}
                  y={y + 5}
                  textAnchor="middle"
                  fontSize={13}
                  fill="var(--ink)"
                >
                  {id}
                </text>
              </g>
            ))}
          </g>
        );
      })}
    </svg>
  );
}
