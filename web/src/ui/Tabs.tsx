import { ToggleButton, ToggleButtonGroup } from 'react-aria-components';
import styled from 'styled-components';

const Group = styled(ToggleButtonGroup)`
  display: flex;
  gap: 4px;
  flex-wrap: wrap;
  button {
    border: 0;
    background: none;
    color: var(--mute);
    font-weight: 600;
    min-height: 40px;
    padding: 0 10px;
    cursor: pointer;
    border-radius: 6px 6px 0 0;
    box-shadow: inset 0 -2px 0 var(--line);
  }
  button[data-selected] {
    color: var(--ink);
    box-shadow: inset 0 -3px 0 var(--mat-text);
  }
`;

/** One of a few views of the same thing. */
export function Views<T extends string>({
  of,
  value,
  onChange,
  label,
}: {
  of: readonly (readonly [T, string])[];
  value: T;
  onChange: (value: T) => void;
  label: string;
}) {
  return (
    <Group
      selectionMode="single"
      disallowEmptySelection
      selectedKeys={[value]}
      onSelectionChange={(k) => onChange([...k][0] as T)}
      aria-label={label}
    >
      {of.map(([id, name]) => (
        <ToggleButton key={id} id={id}>
          {name}
        </ToggleButton>
      ))}
    </Group>
  );
}
