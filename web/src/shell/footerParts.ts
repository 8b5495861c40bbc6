import { Button as AriaButton, Popover } from 'react-aria-components';
import styled from 'styled-components';

/** What stands in the foot of a page and is pressed. */
export const Tool = styled(AriaButton)`
  background: none;
  border: 0;
  min-height: 44px;
  padding: 0 6px;
  cursor: pointer;
  display: inline-flex;
  gap: 7px;
  align-items: center;
  white-space: nowrap;
  color: var(--ink);
`;

/** What opens above it. */
export const Pop = styled(Popover)`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 6px;
  padding: 12px 16px;
  max-width: 420px;
  box-shadow: 0 8px 24px #0004;
  li {
    margin: 6px 0;
  }
  ul {
    margin: 6px 0 0;
    padding: 0;
    list-style: none;
  }
`;

/** The key that does the same. */
export const Kbd = styled.kbd`
  font: inherit;
  font-size: var(--t-xs);
  background: var(--chip);
  color: var(--ink);
  border-radius: 4px;
  padding: 1px 7px;
  border: 1px solid var(--line);
`;

/** What can be pressed in answer. */
export const Choices = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
`;
