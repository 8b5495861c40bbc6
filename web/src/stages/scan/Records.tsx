import { findingOf } from '@cellmend/contract/findingOf';
import { useState } from 'react';
import { Checkbox } from 'react-aria-components';
import styled from 'styled-components';
import { ApiProblem } from '../../api/client';
import { useJobView } from '../../shell/jobContext';
import { Button, DataTable, Mute, ProblemNote, Row, Sheet } from '../../ui/parts';
import { duration, when } from '../../ui/words';
import { MapVerdict } from '../MapVerdict';
import { RecordedAt } from './RecordedAt';

const Tick = styled(Checkbox)`
  display: inline-flex;
  width: 24px;
  height: 24px;
  border: 2px solid var(--edge);
  border-radius: 4px;
  cursor: pointer;
  &[data-selected] {
    background: var(--mat-text);
    border-color: var(--mat-text);
  }
  &[data-focus-visible] {
    outline: 3px solid var(--mat-text);
    outline-offset: 2px;
  }
`;
const FORMAT = { table: 'table', spreadsheet: 'workbook', can: 'CAN', typed: 'by hand' } as const;

/** Records of a job in order of time; those ticked are weighed together as one. */
export function Records({
  role,
  onJoin,
}: {
  role: 'before' | 'after';
  onJoin: (scanIds: string[]) => Promise<void>;
}) {
  const { job, findings, person } = useJobView();
  const used = new Set(findingOf(findings, 'spread', role)?.inputIds ?? []);
  const [ticked, setTicked] = useState<string[] | null>(null);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const now = ticked ?? job.scans.filter((s) => used.has(s.id)).map((s) => s.id);
  const sorted = [...job.scans].sort((a, b) =>
    (a.startedAt ?? a.createdAt).localeCompare(b.startedAt ?? b.createdAt),
  );
  const many = job.scans.filter((s) => s.role === role).length > 1;
  const changed = ticked !== null && ticked.join() !== [...used].filter((id) => ticked.includes(id)).join();
  return (
    <Sheet>
      <DataTable>
        <thead>
          <tr>
            {many && <th>Counts</th>}
            <th>Record</th>
            <th>Recorded</th>
            <th className="r">Rows</th>
            <th className="r">Length</th>
            <th>Taken in by</th>
          </tr>
        </thead>
        <tbody>
          {sorted.map((s) => (
            <tr key={s.id}>
              {many && (
                <td style={{ verticalAlign: 'top' }}>
                  {s.role === role && (
                    <Tick
                      aria-label={`${s.name} counts in the findings`}
                      isSelected={now.includes(s.id)}
                      isDisabled={!person.mayWrite}
                      onChange={(on) => setTicked(on ? [...now, s.id] : now.filter((id) => id !== s.id))}
                    />
                  )}
                </td>
              )}
              <td>
                <b>{s.name}</b>
                {s.notices.map((n) => (
                  <div key={n}>
                    <Mute>{n}</Mute>
                  </div>
                ))}
              </td>
              <td>
                {s.role} repair, {FORMAT[s.format]}
                <div>
                  <RecordedAt scan={s} />
                </div>
              </td>
              <td className="r">{s.rows}</td>
              <td className="r">{duration(s.durationS / 3600)}</td>
              <td>
                {s.recordedBy}
                <div>
                  <Mute>{when(s.createdAt)}</Mute>
                </div>
              </td>
            </tr>
          ))}
        </tbody>
      </DataTable>
      <MapVerdict />
      {problem && <ProblemNote what={problem.message} accepted={problem.problem.accepted} />}
      {many && (
        <Row>
          <Mute>
            Records that count are put on one time line; what was drawn between them is judged by the typical
            channel.
          </Mute>
          {ticked !== null && (changed || ticked.length !== used.size) && (
            <Button
              quiet
              isDisabled={busy || ticked.length === 0}
              onPress={() => {
                setBusy(true);
                setProblem(null);
                onJoin(ticked)
                  .then(() => setTicked(null))
                  .catch((e: unknown) => e instanceof ApiProblem && setProblem(e))
                  .finally(() => setBusy(false));
              }}
            >
              {busy
                ? 'Weighing …'
                : `Weigh ${ticked.length === 1 ? 'this one' : `these ${ticked.length}`} anew`}
            </Button>
          )}
        </Row>
      )}
    </Sheet>
  );
}
