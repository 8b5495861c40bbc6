import { parseQuantity } from '@cellmend/core/jot';
import { CELL_LIMITS, InputProblem } from '@cellmend/core/pack';
import { useState, type FormEvent } from 'react';
import { enqueue } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { Button, Field, Input, ProblemNote, Row } from '../../ui/parts';

/** A voltage metered at the terminals of one channel; the finding is weighed anew with it at once. */
export function Meter({ channelIndex }: { channelIndex: number }) {
  const { job, pack, person } = useJobView();
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const channel = pack.channels[channelIndex]!;
  if (!person.mayWrite) return null;
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    try {
      const { value, quantity } = parseQuantity(text);
      const most = (CELL_LIMITS[pack.profile.chemistry].fullV + 0.6) * channel.cells;
      if ((quantity !== null && quantity !== 'voltage') || !(value > -1.5 * channel.cells && value <= most))
        throw new InputProblem(
          'meter',
          `“${text}” cannot be the voltage of ${channel.id}.`,
          '',
          `Up to ${most.toFixed(1)} V, such as ${(CELL_LIMITS[pack.profile.chemistry].nominalV * channel.cells).toFixed(3)}.`,
        );
      setProblem(null);
      void enqueue({
        path: `/jobs/${job.number}/readings`,
        body: {
          kind: 'voltage',
          place: channel.id,
          value,
          conditions: 'at the terminals',
          instrument: 'meter',
          stage: 'findings',
          observedAt: new Date().toISOString(),
        },
        label: `${channel.id} ${value} V at the terminals`,
        jobNumber: job.number,
      }).then(() => setText(''));
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setProblem(e);
    }
  };
  return (
    <form onSubmit={submit}>
      <Row>
        <Field style={{ flexDirection: 'row', alignItems: 'center', gap: 10 }}>
          Meter at {channel.id}
          <Input
            inputMode="decimal"
            className="n"
            style={{ width: 118 }}
            placeholder="V"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </Field>
        <Button type="submit" quiet isDisabled={text.trim() === ''}>
          Weigh it in
        </Button>
      </Row>
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
    </form>
  );
}
