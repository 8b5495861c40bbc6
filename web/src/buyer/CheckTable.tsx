import type { CheckLine, Judged } from '@cellmend/core/buyer';
import styled from 'styled-components';
import { DataTable, Mute } from '../ui/parts';
import { told } from '../ui/units';

const Grade = styled.b<{ $of: Judged }>`
  display: inline-block;
  min-width: 74px;
  text-align: center;
  border-radius: 5px;
  padding: 2px 8px;
  border: 2px solid var(--edge);
  ${(p) => p.$of === 'good' && 'background: var(--mat-soft); border-color: var(--mat-text); color: var(--mat-text);'}
  ${(p) => p.$of === 'fair' && 'border-style: double; border-width: 4px; padding: 0 6px;'}
  ${(p) => p.$of === 'poor' && 'background: var(--sus-soft); border-color: var(--sus); color: var(--sus);'}
  ${(p) => p.$of === 'unknown' && 'border-style: dotted;'}
`;

/** What was looked at, what it shows, how it is judged and why. */
export const CheckTable = ({ lines }: { lines: readonly CheckLine[] }) => (
  <DataTable>
    <thead>
      <tr>
        <th>Looked at</th>
        <th>Shows</th>
        <th>Judged</th>
        <th>Why</th>
      </tr>
    </thead>
    <tbody>
      {lines.map((l) => (
        <tr key={l.what}>
          <td>
            <b>{l.what}</b>
          </td>
          <td>{told(l.shows)}</td>
          <td>
            <Grade $of={l.judged}>{l.judged === 'unknown' ? '?' : l.judged}</Grade>
          </td>
          <td>
            <Mute>{told(l.why)}</Mute>
          </td>
        </tr>
      ))}
    </tbody>
  </DataTable>
);
