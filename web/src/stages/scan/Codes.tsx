import type { Reading } from '@cellmend/contract/records';
import { lookUpCode, parseCode, printCode } from '@cellmend/core/can';
import { InputProblem } from '@cellmend/core/pack';
import { useState, type FormEvent } from 'react';
import styled from 'styled-components';
import { enqueue } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { Input, Field } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { useReadings } from '../notes/Readings';

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  li {
    display: grid;
    grid-template-columns: 104px 1fr auto;
    gap: 2px 12px;
    padding: 8px 0;
    border-top: 1px solid var(--line);
    align-items: baseline;
  }
  p {
    grid-column: 2 / 4;
    font-size: var(--t-s);
  }
`;
const SEVERITY = { stop: 'stop driving', soon: 'soon', note: 'note' } as const;

/** Newest reading of each code. */
export function newestCodes(readings: readonly Reading[]): Reading[] {
  const seen = new Set<string>();
  return readings.filter(
    (r) => r.kind === 'code' && !r.supersededBy && !seen.has(r.text) && seen.add(r.text),
  );
}

/** Trouble codes: from a log, a live scan or typed; what each is about, what to test, what not to replace yet. */
export function Codes() {
  const { job, person } = useJobView();
  const { data } = useReadings(job.number);
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const codes = newestCodes(data ?? []);
  const add = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const form = event.currentTarget;
    const fields = new FormData(form);
    try {
      const text = printCode(parseCode(String(fields.get('code'))));
      const own = String(fields.get('text')).trim();
      setProblem(null);
      void enqueue({
        path: `/jobs/${job.number}/readings`,
        body: { kind: 'code', text, conditions: own, stage: 'scan', observedAt: new Date().toISOString() },
        label: text,
        jobNumber: job.number,
      }).then(() => form.reset());
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  return (
    <Sheet>
      <Stack>
        <Row>
          <h3>Trouble codes</h3>
          <Mute>Never cleared from here: a code is evidence until the fault behind it is found.</Mute>
        </Row>
        {codes.length > 0 && (
          <List>
            {codes.map((c) => {
              const entry = lookUpCode(c.text);
              return (
                <li key={c.id}>
                  <b className="n">{c.text}</b>
                  <b>{entry?.meaning ?? 'A maker’s own code'}</b>
                  <Mute>{entry ? SEVERITY[entry.severity] : 'look it up'}</Mute>
                  <p>
                    {entry ? (
                      <>
                        {entry.test} <Mute>Not yet to be replaced: {entry.notYet}.</Mute>
                      </>
                    ) : (
                      <Mute>Keep what the maker’s table says of it beside the code.</Mute>
                    )}
                    {c.conditions && (
                      <>
                        {' '}
                        <Mute>Noted: {c.conditions}.</Mute>
                      </>
                    )}
                  </p>
                </li>
              );
            })}
          </List>
        )}
        {person.mayWrite && (
          <form onSubmit={add}>
            <Row>
              <Field style={{ flex: '0 0 150px' }}>
                Code
                <Input name="code" className="n" placeholder="P0AA6" autoComplete="off" />
              </Field>
              <Field style={{ flex: 1 }}>
                In your own words, for a maker’s code
                <Input name="text" maxLength={200} autoComplete="off" />
              </Field>
              <Button type="submit" quiet style={{ alignSelf: 'end' }}>
                Add code
              </Button>
            </Row>
          </form>
        )}
        {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
      </Stack>
    </Sheet>
  );
}
