import type { TimelineEntry } from '@cellmend/contract/records';
import type { Finding } from '@cellmend/contract/findings';
import { RefreshCw, X } from 'lucide-react';
import { useEffect, useState } from 'react';
import useSWR from 'swr';
import { get, send } from '../api/client';
import { Button, DataTable, Mute, Page, Row, Sheet } from '../ui/parts';
import { when } from '../ui/words';
import { useJobView } from './jobContext';

/** Everything that happened to the job; nobody can change it. Findings can be computed again from here. */
export function Timeline() {
  const { job, findings } = useJobView();
  const { data } = useSWR<TimelineEntry[]>(`/jobs/${job.number}/timeline`, get);
  return (
    <Page>
      <h1>What happened, and who did it?</h1>
      {findings.length > 0 && (
        <Sheet>
          <h2>Findings</h2>
          <DataTable>
            <tbody>
              {findings.map((f) => (
                <FindingRow key={f.id} finding={f} />
              ))}
            </tbody>
          </DataTable>
        </Sheet>
      )}
      <Sheet>
        <DataTable>
          <thead>
            <tr>
              <th>When</th>
              <th>Who</th>
              <th>What</th>
            </tr>
          </thead>
          <tbody>
            {(data ?? []).map((e) => (
              <tr key={e.id}>
                <td style={{ whiteSpace: 'nowrap' }}>{when(e.at)}</td>
                <td style={{ whiteSpace: 'nowrap' }}>{e.who}</td>
                <td>
                  <b>{e.what}</b> {e.subject} {e.detail && <Mute>{e.detail}</Mute>}
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
      </Sheet>
    </Page>
  );
}

const TOPICS: Record<string, string> = {
  spread: 'Spread and diagnosis',
  match: 'Match',
  balance: 'Balance plan',
  prove: 'Before and after',
};

function FindingRow({ finding }: { finding: Finding }) {
  const { job } = useJobView();
  const [answer, setAnswer] = useState<string>('');
  const [running, setRunning] = useState<AbortController | null>(null);
  // Nobody waits any more: what is computed for this page ends with it.
  useEffect(() => () => running?.abort(), [running]);
  const again = async (): Promise<void> => {
    const stop = new AbortController();
    setRunning(stop);
    setAnswer('computing …');
    try {
      const { same, storedVersion, nowVersion } = await send<{
        same: boolean;
        storedVersion: string;
        nowVersion: string;
      }>('POST', `/jobs/${job.number}/findings/${finding.id}/recompute`, undefined, undefined, stop.signal);
      setAnswer(
        same ? 'the same result' : `another result: computed by version ${storedVersion}, now ${nowVersion}`,
      );
    } catch (e) {
      setAnswer(stop.signal.aborted ? 'stopped' : (e as Error).message);
    }
    setRunning(null);
  };
  return (
    <tr>
      <td>
        <b>{TOPICS[finding.topic] ?? finding.topic}</b>
        {finding.topic === 'spread' ? ` ${finding.parameters.role} repair` : ''}
      </td>
      <td>
        <Mute>
          {when(finding.createdAt)}, computed by version {finding.coreVersion} from {finding.inputIds.length}{' '}
          {finding.inputIds.length === 1 ? 'input' : 'inputs'}
        </Mute>
      </td>
      <td className="r">
        <Row $gap={10} style={{ justifyContent: 'flex-end' }}>
          <span role="status">{answer}</span>
          {running ? (
            <Button quiet onPress={() => running.abort()}>
              <X size={16} />
              Stop
            </Button>
          ) : (
            <Button quiet onPress={() => void again()}>
              <RefreshCw size={16} />
              Compute again
            </Button>
          )}
        </Row>
      </td>
    </tr>
  );
}
