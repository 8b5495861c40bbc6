import type { ReactNode } from 'react';
import { DropZone, type DropItem } from 'react-aria-components';
import styled from 'styled-components';

const Zone = styled(DropZone)`
  border: 2px dashed var(--edge);
  border-radius: 6px;
  padding: 16px;
  display: flex;
  gap: 14px;
  align-items: center;
  background: var(--sheet);
  flex-wrap: wrap;
  &[data-drop-target] {
    border-color: var(--mat-text);
    background: var(--mat-soft);
  }
  > div:first-of-type {
    flex: 1 1 170px;
  }
`;

/** Where a scan file is dropped; what to press instead lies in it. */
export function Drop({ onFile, children }: { onFile: (file: File) => void; children: ReactNode }) {
  const take = async (items: DropItem[]): Promise<void> => {
    const item = items.find((i) => i.kind === 'file');
    if (item?.kind === 'file') onFile(await item.getFile());
  };
  return (
    <Zone onDrop={(e) => void take(e.items)} aria-label="Drop a scan file">
      {children}
    </Zone>
  );
}
