import { ToggleButtonGroup } from 'react-aria-components';
import styled from 'styled-components';

/** A choice as chips. */
export const Chips = styled(ToggleButtonGroup)`
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
  button {
    font-weight: 500;
    border: 1px solid var(--edge);
    background: var(--sheet);
    color: var(--ink);
    border-radius: 6px;
    min-height: 44px;
    padding: 0 14px;
    cursor: pointer;
  }
  button[data-disabled] {
    color: var(--mute);
    border-color: var(--line);
    background: transparent;
    cursor: not-allowed;
  }
  button[data-selected] {
    background: var(--ink);
    color: var(--sheet);
    border-color: var(--ink);
  }
`;
