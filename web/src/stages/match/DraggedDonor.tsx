import { GripVertical } from 'lucide-react';
import { useDrag } from 'react-aria/useDrag';
import styled from 'styled-components';
import { setDragged } from '../../shell/dropOnMap';

const Chip = styled.button`
  display: inline-flex;
  align-items: center;
  gap: 4px;
  min-height: 44px;
  padding: 0 12px 0 6px;
  border: 1px solid var(--edge);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  font-weight: 600;
  cursor: grab;
  touch-action: none;
  &[data-dragging] {
    opacity: 0.5;
  }
`;

/** A donor that can be taken and let go at a place of the map; by key, Enter takes it up and Tab goes from place to place. */
export function DraggedDonor({ id, label, says }: { id: string; label: string; says: string }) {
  const { dragProps, isDragging } = useDrag({
    getItems: () => [{ 'text/plain': label }],
    getAllowedDropOperations: () => ['move'],
    onDragStart: () => setDragged(id),
    onDragEnd: () => setDragged(null),
  });
  return (
    <Chip
      type="button"
      {...dragProps}
      data-dragging={isDragging || undefined}
      aria-label={`Put ${label} in by hand`}
    >
      <GripVertical size={16} aria-hidden />
      <span className="n">{label}</span>
      <small>{says}</small>
    </Chip>
  );
}
