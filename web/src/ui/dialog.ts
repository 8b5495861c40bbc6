import { Modal, ModalOverlay } from 'react-aria-components';
import styled from 'styled-components';

/** The page behind a dialog, and the sheet it lies on. */
export const Overlay = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  background: #0007;
  display: grid;
  place-items: center;
  z-index: 10;
`;
export const DialogBox = styled(Modal)`
  background: var(--sheet);
  color: var(--ink);
  border-radius: 8px;
  width: min(640px, 94vw);
  padding: 22px 26px;
  max-height: 92vh;
  overflow: auto;
  [role='dialog'] {
    outline: none;
  }
`;
