import type { SafetyView } from '@cellmend/contract/safety';
import type { LockoutContext, StepData, StepView } from '@cellmend/core/safety';
import { Checkbox } from 'react-aria-components';
import styled from 'styled-components';

/** A box to tick, large enough for a gloved finger. */
export const Tick = styled(Checkbox)`
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: 44px;
  cursor: pointer;
  &::before {
    content: '';
    width: 24px;
    height: 24px;
    flex: none;
    border: 2px solid var(--edge);
    border-radius: 4px;
  }
  &[data-selected]::before {
    background: var(--mat-text);
    border-color: var(--mat-text);
  }
  &[data-focus-visible]::before {
    outline: 3px solid var(--mat-text);
    outline-offset: 2px;
  }
`;

/** What the form of a step is given. */
export interface StepProps {
  step: StepView;
  context: LockoutContext;
  view: SafetyView;
  waitS: number;
  may: boolean;
  busy: boolean;
  onTake: (data: StepData) => Promise<boolean>;
}
