import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import { ApiProblem, send } from '../../api/client';
import { useDefinitions } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Button, Mute, ProblemNote, Row } from '../../ui/parts';

/** DBC files and diagnostic field definitions that this workshop has; they read logs and live vehicles. */
export function Definitions() {
  const { person } = useJobView();
  const { data, mutate } = useDefinitions();
  const [problem, setProblem] = useState<{ what: string; where?: string; accepted?: string } | null>(null);
  const add = async (file: File): Promise<void> => {
    setProblem(null);
    try {
      await send('POST', '/definitions', {
        name: file.name.replace(/\.\w+$/, '').slice(0, 120),
        text: await file.text(),
      });
      await mutate();
    } catch (e) {
      setProblem({
        what: (e as Error).message,
        ...(e instanceof ApiProblem && e.problem.where ? { where: e.problem.where } : {}),
        ...(e instanceof ApiProblem && e.problem.accepted ? { accepted: e.problem.accepted } : {}),
      });
    }
  };
  return (
    <>
      <Row>
        <Mute>
          Definitions here:{' '}
          {data && data.length > 0
            ? data
                .map((d) => `${d.name} (${d.kind === 'dbc' ? 'DBC' : 'diagnostic'}, ${d.signals} signals)`)
                .join(' · ')
            : 'none yet. A DBC file names the signals of a CAN log; diagnostic fields in JSON those of a live scan.'}
        </Mute>
        {person.mayWrite && (
          <FileTrigger
            acceptedFileTypes={['.dbc', '.json']}
            onSelect={(files) => files?.[0] && void add(files[0])}
          >
            <Button quiet>Add a definition file</Button>
          </FileTrigger>
        )}
      </Row>
      {problem && <ProblemNote {...problem} />}
    </>
  );
}
