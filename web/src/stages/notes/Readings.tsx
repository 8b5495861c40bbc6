import type { Stage } from '@cellmend/core/route';
import type { Reading } from '@cellmend/contract/records';
import { parseQuantity, printQuantity, type Quantity } from '@cellmend/core/jot';
import { InputProblem, OUT_OF_BOUNDS } from '@cellmend/core/pack';
import { PencilLine } from 'lucide-react';
import { useState, useSyncExternalStore, type FormEvent } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import useSWR from 'swr';
import { get } from '../../api/client';
import { enqueue, subscribe, waitingNow } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { Input, Field } from '../../ui/Field';
import { Button, DataTable, Mute, ProblemNote, Row, Sheet, Stack, Unseen } from '../../ui/parts';
import { temperature } from '../../ui/units';
import { when } from '../../ui/words';

const Fix = styled(AriaButton)`
  background: none;
  border: 0;
  min-width: 44px;
  min-height: 36px;
  cursor: pointer;
  color: var(--mat-text);
`;
const Old = styled.tr`
  td {
    color: var(--mute);
    text-decoration: line-through;
  }
  td.plain {
    text-decoration: none;
  }
`;

/** Struck through is what was read, not why it went. */
const Withdrawn = styled.small`
  display: inline-block;
  margin-left: 10px;
  color: var(--mute);
  text-decoration: none;
`;
export const useReadings = (number: number) => useSWR<Reading[]>(`/jobs/${number}/readings`, get);
export const readingWords = (r: Reading): string =>
  r.kind === 'note' || r.kind === 'code'
    ? `${r.text}${r.kind === 'code' && r.conditions ? `, ${r.conditions}` : ''}`
    : `${r.kind === 'temperature' && r.value !== null ? temperature(r.value, 1) : printQuantity(r.value ?? Infinity, r.kind as Quantity, r.bound ?? undefined)}${r.conditions ? `, ${r.conditions}` : ''}`;

/** Readings of a stage or module; corrections show with what they supersede. */
export function Readings({ stage, place }: { stage?: Stage; place?: string }) {
  const { job, person } = useJobView();
  const { data } = useReadings(job.number);
  const waiting = useSyncExternalStore(subscribe, waitingNow, waitingNow).filter(
    (w) =>
      w.jobNumber === job.number &&
      w.path.endsWith('/readings') &&
      (!stage || (w.body as { stage: string }).stage === stage) &&
      (!place || (w.body as { place: string }).place === place),
  );
  const [fixing, setFixing] = useState<string | null>(null);
  const withdrawn = new Map(
    (data ?? []).flatMap((r) => (r.kind === 'withdrawn' && r.supersedes ? [[r.supersedes, r]] : [])),
  );
  const rows = (data ?? []).filter(
    (r) => r.kind !== 'withdrawn' && (!stage || r.stage === stage) && (!place || r.place === place),
  );
  if (rows.length === 0 && waiting.length === 0)
    return data === undefined ? (
      <Mute>Reading what is recorded …</Mute>
    ) : (
      <Mute>Nothing recorded here yet. Press J and type, for example, m07 3.982 or note m07 dry vent.</Mute>
    );
  return (
    <Sheet>
      <DataTable>
        <thead>
          <tr>
            <th>Place</th>
            <th>Reading</th>
            <th>By</th>
            <th>
              <Unseen>To do</Unseen>
            </th>
          </tr>
        </thead>
        <tbody>
          {waiting.map((w) => (
            <tr key={w.key}>
              <td />
              <td>{w.label}</td>
              <td>
                <Mute>waiting for the server</Mute>
              </td>
              <td />
            </tr>
          ))}
          {rows.map((r) => {
            const Line = r.supersededBy ? Old : 'tr';
            return [
              <Line key={r.id}>
                <td className="n">{r.place || 'pack'}</td>
                <td>
                  {r.kind !== 'note' && <Mute>{r.kind} </Mute>}
                  <b>{readingWords(r)}</b>
                  {!r.supersededBy && r.judged && r.judged.state !== 'normal' && (
                    <>
                      <br />
                      <b style={OUT_OF_BOUNDS.has(r.judged.state) ? { color: 'var(--bad)' } : undefined}>
                        {r.judged.says}
                      </b>
                    </>
                  )}
                  {withdrawn.has(r.id) && (
                    <Withdrawn>
                      Withdrawn by {withdrawn.get(r.id)!.recordedBy}: {withdrawn.get(r.id)!.reason}
                    </Withdrawn>
                  )}
                  {r.supersedes && (
                    <>
                      <br />
                      <Mute>Correction: {r.reason}</Mute>
                    </>
                  )}
                </td>
                <td className="plain">
                  <Mute>
                    {r.recordedBy}, {when(r.observedAt)}
                  </Mute>
                </td>
                <td className="plain r">
                  {!r.supersededBy && person.mayWrite && r.kind !== 'note' && r.kind !== 'code' && (
                    <Fix
                      aria-label={`Correct ${r.place} ${r.kind}`}
                      onPress={() => setFixing(fixing === r.id ? null : r.id)}
                    >
                      <PencilLine size={17} />
                    </Fix>
                  )}
                </td>
              </Line>,
              fixing === r.id && (
                <tr key={`${r.id}-fix`}>
                  <td colSpan={4}>
                    <Correct reading={r} onDone={() => setFixing(null)} />
                  </td>
                </tr>
              ),
            ];
          })}
        </tbody>
      </DataTable>
    </Sheet>
  );
}

/** A correction is a new reading with a reason; the old one stays and is struck through. */
function Correct({ reading, onDone }: { reading: Reading; onDone: () => void }) {
  const { job } = useJobView();
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const submit = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    try {
      const { value } = parseQuantity(String(data.get('value')));
      const reason = String(data.get('reason')).trim();
      if (reason === '')
        throw new InputProblem(
          'reason',
          'A correction says why.',
          '',
          'A few words, such as “leads swapped”.',
        );
      const { kind, place, stage, conditions, instrument, observedAt } = reading;
      void enqueue({
        path: `/jobs/${job.number}/readings`,
        body: {
          kind,
          place,
          stage,
          conditions,
          instrument,
          observedAt,
          value,
          supersedes: reading.id,
          reason,
        },
        label: `${place} ${kind} corrected`,
        jobNumber: job.number,
      }).then(onDone);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  return (
    <form onSubmit={submit}>
      <Stack>
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
        <Row>
          <Field>
            Right value
            <Input
              name="value"
              inputMode="decimal"
              autoFocus
              defaultValue={readingWords({ ...reading, conditions: '' })}
            />
          </Field>
          <Field style={{ flex: 1 }}>
            Why
            <Input name="reason" maxLength={500} />
          </Field>
        </Row>
        <Row>
          <Button type="submit">Correct</Button>
          <Button quiet onPress={onDone}>
            Leave it
          </Button>
        </Row>
      </Stack>
    </form>
  );
}
