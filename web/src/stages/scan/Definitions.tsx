import { X } from 'lucide-react';
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
  const remove = async (id: string): Promise<void> => {
    setProblem(null);
    try {
      await send('DELETE', `/definitions/${id}`);
      await mutate();
    } catch (e) {
      setProblem({ what: (e as Error).message });
    }
  };
  return (
    <>
      <Row>
        <Mute style={{ flex: '1 1 260px' }}>
          Definitions here:{' '}
          {data && data.length > 0
            ? ''
            : 'none yet. A DBC file names the signals of a CAN log; diagnostic fields in JSON those of a live scan.'}
        </Mute>
        {data?.map((d) => (
          <Row key={d.id} $gap={6}>
            <Mute>
              {d.name} ({d.kind === 'dbc' ? 'DBC' : 'diagnostic'}, {d.signals} signals)
            </Mute>
            {person.mayWrite && (
              <Button quiet aria-label={`Take ${d.name} away`} onPress={() => void remove(d.id)}>
                <X size={16} aria-hidden />
              </Button>
            )}
          </Row>
        ))}
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
