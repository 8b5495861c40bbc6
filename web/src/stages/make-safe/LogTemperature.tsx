import { InputProblem } from '@cellmend/core/pack';
import { useState, type FormEvent } from 'react';
import { enqueue } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { Input, Field } from '../../ui/Field';
import { Button, ProblemNote, Row } from '../../ui/parts';
import { celsiusOf } from '../../ui/celsius';
import { temperature, temperatureUnit } from '../../ui/units';

/** The next temperature of a thermal watch; logging one sets the clock for the one after. */
export function LogTemperature({ everyMin }: { everyMin: number }) {
  const { job, person } = useJobView();
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<InputProblem | null>(null);
  if (!person.mayWrite) return null;
  const log = (event: FormEvent): void => {
    event.preventDefault();
    try {
      const value = Math.round(celsiusOf(text) * 10) / 10;
      setProblem(null);
      const now = new Date();
      void enqueue({
        path: `/jobs/${job.number}/readings`,
        body: {
          kind: 'temperature',
          place: '',
          value,
          conditions: 'thermal watch',
          stage: 'make-safe',
          observedAt: now.toISOString(),
        },
        label: `thermal watch ${temperature(value, 1)}`,
        jobNumber: job.number,
      }).then(() =>
        enqueue({
          path: `/jobs/${job.number}/clocks`,
          body: {
            label: 'Thermal watch: next temperature',
            kind: 'thermal-watch',
            stage: 'make-safe',
            endsAt: new Date(now.getTime() + everyMin * 60_000).toISOString(),
          },
          label: 'thermal watch clock',
          jobNumber: job.number,
        }),
      );
      setText('');
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  return (
    <>
      <form onSubmit={log}>
        <Row>
          <Field style={{ flexDirection: 'row', alignItems: 'center', gap: 10 }}>
            Temperature, {temperatureUnit()}
            <Input
              className="n"
              style={{ width: 110 }}
              inputMode="decimal"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          </Field>
          <Button type="submit" quiet isDisabled={text.trim() === ''}>
            Log it
          </Button>
        </Row>
      </form>
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
    </>
  );
}
