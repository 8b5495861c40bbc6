import type { Module } from '@cellmend/core/pack';
import { heldText, verdictName, type SpreadReport } from '@cellmend/core/diagnosis';
import { X } from 'lucide-react';
import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import { useJobView } from '../shell/jobContext';
import { readingWords, useReadings } from '../stages/notes/Readings';
import { DataTable, Mute, Sheet } from '../ui/parts';
import { orDash } from '../ui/words';

const Box = styled(Sheet)`
  padding: 10px 14px;
  header {
    display: flex;
    align-items: baseline;
    gap: 8px;
  }
  header button {
    margin-left: auto;
    background: none;
    border: 0;
    min-width: 32px;
    min-height: 32px;
    cursor: pointer;
    color: var(--mute);
  }
`;

/** Everything known of one module: its channels at both ends, its share of the findings. */
export function ModuleSheet({
  module,
  report,
  onClose,
}: {
  module: Module;
  report: SpreadReport | null;
  onClose: () => void;
}) {
  const { pack, job } = useJobView();
  const { data: readings } = useReadings(job.number);
  const places = [module.id, ...module.channelIndices.map((c) => pack.channels[c]!.id)];
  const here = (readings ?? []).filter(
    (r) => places.includes(r.place) && !r.supersededBy && r.kind !== 'withdrawn',
  );
  const own = report?.findings.filter((f) => f.module.split(' + ').includes(module.id)) ?? [];
  return (
    <Box aria-label={`Module ${module.id}`}>
      <header>
        <h2>{module.id}</h2>
        <Mute>
          {module.groupIndices.length} groups{module.massKg ? ` · ${module.massKg} kg` : ''}
        </Mute>
        <AriaButton aria-label="Close" onPress={onClose}>
          <X size={16} />
        </AriaButton>
      </header>
      {own.map((f) => (
        <p key={f.channel}>
          <b>{verdictName(f.verdict)}</b> <Mute>{f.channel}</Mute>
        </p>
      ))}
      {report ? (
        <DataTable>
          <thead>
            <tr>
              <th>Channel</th>
              <th className="r">full</th>
              <th className="r">empty</th>
              <th className="r">capacity</th>
            </tr>
          </thead>
          <tbody>
            {module.channelIndices.map((c) => {
              const estimate = report.channels.find((e) => e.channelIndex === c);
              const cell = (s: SpreadReport['nearFull']) => orDash(s?.channels[c]?.deviationMv, 0, ' mV');
              return (
                <tr key={c}>
                  <td>
                    {pack.channels[c]!.id}
                    {pack.channels[c]!.reportedAs && <Mute> scans: {pack.channels[c]!.reportedAs}</Mute>}
                  </td>
                  <td className="r">{cell(report.nearFull)}</td>
                  <td className="r">{cell(report.nearEmpty)}</td>
                  <td className="r">{estimate?.capacityRatio ? heldText(estimate.capacityRatio) : '–'}</td>
                </tr>
              );
            })}
          </tbody>
        </DataTable>
      ) : (
        here.length === 0 && <Mute>Nothing measured yet.</Mute>
      )}
      {here.slice(0, 12).map((r) => (
        <p key={r.id}>
          {r.place !== module.id && <Mute>{r.place} </Mute>}
          {r.kind !== 'note' && <Mute>{r.kind} </Mute>}
          {readingWords(r)} <Mute>{r.recordedBy}</Mute>
        </p>
      ))}
    </Box>
  );
}
