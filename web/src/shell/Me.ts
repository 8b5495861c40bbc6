import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';

/** What of the head is pressed and is neither lamp nor Stop. */
export const Me = styled(AriaButton)`
  background: none;
  border: 0;
  color: inherit;
  min-height: 44px;
  padding: 0 8px;
  cursor: pointer;
  border-radius: 6px;
  display: inline-flex;
  align-items: center;
  gap: 8px;
`;
