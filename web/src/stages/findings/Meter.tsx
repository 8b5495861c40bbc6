import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem, judgeAt, possibleV } from '@cellmend/core/pack';
import { useState, type FormEvent } from 'react';
import { enqueue } from '../../api/queue';
import { useJobView } from '../../shell/jobContext';
import { Input, Select } from '../../ui/Field';
import { Button, ProblemNote, Row } from '../../ui/parts';

/** A voltage metered at the terminals of one channel; the finding is weighed anew with it at once. */
export function Meter({ channels, worst }: { channels: number[]; worst: number }) {
  const { job, pack, person } = useJobView();
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<InputProblem | null>(null);
  const [at, setAt] = useState(worst);
  const channel = pack.channels[at]!;
  // A healthy neighbour metered along tells what the whole pack has moved since the scan.
  const offered = [
    ...new Set([...channels, Math.max(0, worst - 1), Math.min(pack.channels.length - 1, worst + 1)]),
  ].sort((a, b) => a - b);
  if (!person.mayWrite) return null;
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    try {
      const { value, quantity } = parseQuantity(text);
      const judged = judgeAt(pack, { kind: 'channel', index: at }, value);
      const { leastV, mostV } = possibleV(pack.profile, channel.cells);
      if ((quantity !== null && quantity !== 'voltage') || judged.state === 'impossible')
        throw new InputProblem(
          'meter',
          quantity !== null && quantity !== 'voltage'
            ? `“${text}” is no voltage.`
            : `${channel.id}: ${judged.says}`,
          '',
          `${leastV.toFixed(1)} to ${mostV.toFixed(1)} V.`,
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
      <Row $gap={8}>
        <span>Meter at</span>
        <Select
          aria-label="Metered channel"
          style={{ width: 100 }}
          value={channel.id}
          onChange={(e) => setAt(pack.channels.findIndex((c) => c.id === e.target.value))}
        >
          {offered.map((c) => (
            <option key={c}>{pack.channels[c]!.id}</option>
          ))}
        </Select>
        <Input
          inputMode="decimal"
          className="n"
          style={{ width: 96 }}
          placeholder="V"
          aria-label={`Meter at ${channel.id}, volts`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <Button type="submit" quiet isDisabled={text.trim() === ''}>
          Weigh in
        </Button>
      </Row>
      {problem && <ProblemNote what={problem.what} accepted={problem.accepted} />}
    </form>
  );
}
