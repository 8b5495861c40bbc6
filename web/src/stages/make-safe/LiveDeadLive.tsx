import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { chassisVoltage, CLASS_B_V, isClassA, proofFault, type StepData } from '@cellmend/core/safety';
import { useRef, type FormEvent } from 'react';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { useDraft } from '../../shell/useDraft';
import { Input } from '../../ui/Field';
import { Button, Mute, ProblemNote, Stack } from '../../ui/parts';
import type { StepProps } from './step';

const Table = styled.table`
  td {
    padding: 3px 10px 3px 0;
    font-size: var(--t-l);
    white-space: nowrap;
  }
  td:first-child {
    white-space: normal;
  }
  /* Four figures and a point are read whole, in the narrowest column too. */
  td:nth-child(2) {
    width: 132px;
    min-width: 112px;
  }
  input {
    font-size: var(--t-xl);
    font-weight: 700;
    text-align: right;
  }
  td:last-child {
    color: var(--mute);
    min-width: 92px;
  }
`;
const POINTS = [
  ['meterBeforeV', 'Meter on a known source'],
  ['plusMinusV', 'Pack + to pack −'],
  ['plusChassisV', 'Pack + to chassis'],
  ['minusChassisV', 'Pack − to chassis'],
  ['meterAfterV', 'Meter again'],
] as const;
type Point = (typeof POINTS)[number][0];
const EMPTY: Record<Point, string> = {
  meterBeforeV: '',
  plusMinusV: '',
  plusChassisV: '',
  minusChassisV: '',
  meterAfterV: '',
};

function readVolts(text: string): number | null {
  try {
    const { value, quantity } = parseQuantity(text);
    return quantity === null || quantity === 'voltage' ? value : null;
  } catch (e) {
    if (e instanceof InputProblem) return null;
    throw e;
  }
}

/** Five figures as the meter shows them; Enter goes on to the next. */
export function LiveDeadLive({ context, may, busy, onTake }: StepProps) {
  const { job } = useJobView();
  const [draft, setDraft, clear] = useDraft<Record<Point, string>>(`${job.number}.live-dead-live`, EMPTY);
  const fields = useRef<Partial<Record<Point, HTMLInputElement | null>>>({});
  const values = Object.fromEntries(POINTS.map(([id]) => [id, readVolts(draft[id])])) as Record<
    Point,
    number | null
  >;
  const classA = isClassA(context);
  const complete = POINTS.every(([id]) => values[id] !== null);
  const data = { step: 'live-dead-live', ...values } as Extract<StepData, { step: 'live-dead-live' }>;
  const fault = complete ? proofFault(data, context) : '';
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (complete) void onTake(data).then((ok) => ok && clear());
  };
  const word = (id: Point): string => {
    const v = values[id];
    if (draft[id].trim() === '') return '';
    if (v === null) return 'no voltage';
    if (id === 'meterBeforeV' || id === 'meterAfterV') return Math.abs(v) >= 6 ? 'lives' : 'not proved';
    if (Math.abs(v) >= CLASS_B_V) return 'live';
    if (classA) return 'below 60 V';
    return Math.abs(v) <= context.deadV ? 'dead' : 'not dead';
  };
  return (
    <form onSubmit={submit}>
      <Stack $gap={8}>
        <h3>{classA ? 'Meter, three points, meter' : 'Live, dead, live'}</h3>
        <Mute>
          Type what the meter shows.{' '}
          {classA
            ? 'This pack is safe to touch below 60 V, and stays live: a short circuit burns and welds.'
            : `At most ${context.deadV} V at all points, and a meter that lives before and after, open the gate.`}
        </Mute>
        <Table>
          <tbody>
            {POINTS.map(([id, name], i) => (
              <tr key={id}>
                <td>{name}</td>
                <td>
                  <Input
                    ref={(el: HTMLInputElement | null) => {
                      fields.current[id] = el;
                    }}
                    className="n"
                    inputMode="decimal"
                    autoComplete="off"
                    aria-label={name}
                    value={draft[id]}
                    onChange={(e) => setDraft({ ...draft, [id]: e.target.value })}
                    onKeyDown={(e) => {
                      const next = POINTS[i + 1];
                      if (e.key === 'Enter' && next) {
                        e.preventDefault();
                        fields.current[next[0]]?.focus();
                      }
                    }}
                  />
                </td>
                <td>V</td>
                <td>
                  <b
                    style={{
                      color: ['live', 'not dead', 'below 60 V'].includes(word(id)) ? 'var(--hot)' : undefined,
                    }}
                  >
                    {word(id)}
                  </b>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
        {complete && !fault && chassisVoltage(data, context.deadV) && (
          <p>
            <b>{chassisVoltage(data, context.deadV)}</b> It becomes a finding of Insulation with this proof.
          </p>
        )}
        {fault && <ProblemNote what={fault} accepted="It is kept as measured; the gate stays closed." />}
        <div>
          <Button type="submit" isDisabled={!may || busy || !complete}>
            {fault ? 'Keep as measured' : classA ? 'Sign: below 60 V, still live' : 'Sign: proven dead'}
          </Button>
        </div>
      </Stack>
    </form>
  );
}
