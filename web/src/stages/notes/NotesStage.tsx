import { STAGE_FACTS } from '@cellmend/core/route';
import { TriangleAlert } from 'lucide-react';
import styled from 'styled-components';
import { Page, Sheet } from '../../ui/parts';
import type { StageProps } from '../props';
import { StageSteps } from '../work/StageSteps';
import { Readings } from './Readings';

const Caution = styled(Sheet)`
  display: flex;
  gap: 12px;
  align-items: baseline;
  svg {
    flex: none;
    position: relative;
    top: 3px;
  }
`;

/** A stage whose work is kept as readings and notes. */
export function NotesStage({ question, stage }: StageProps) {
  return (
    <Page>
      <h1>{question}</h1>
      {STAGE_FACTS[stage].caution && (
        <Caution role="note">
          <TriangleAlert size={18} aria-hidden />
          <p>{STAGE_FACTS[stage].caution}</p>
        </Caution>
      )}
      <StageSteps stage={stage} inside />
      <Readings stage={stage} />
    </Page>
  );
}
