import type { Stage } from '@cellmend/contract/jobs';
import { TriangleAlert } from 'lucide-react';
import styled from 'styled-components';
import { Page, Sheet } from '../../ui/parts';
import type { StageProps } from '../props';
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

/** Standard cautions of a stage; the maker's procedure and local codes always come first. */
const CAUTIONS: Partial<Record<Stage, string>> = {
  'make-safe':
    'Follow the maker’s procedure and your local code. Only persons qualified for high voltage prove a pack dead. Each half of the pack stays live after the disconnect is out.',
  insulation: 'Disconnect the management unit before any test voltage. Treat the opened pack as live.',
  'strip-down': 'An opened pack is live work. Sense plug off before power links; lift with a fixture.',
  bench: 'Never leave a charging module unwatched. Hot, hissing or swollen: outdoors and quarantine.',
  rebuild: 'Torque every joint to the maker’s figure and mark it. The sense plug goes on last.',
};

/** A stage whose work is kept as readings and notes. */
export function NotesStage({ question, stage }: StageProps) {
  return (
    <Page>
      <h1>{question}</h1>
      {CAUTIONS[stage] && (
        <Caution role="note">
          <TriangleAlert size={18} aria-hidden />
          <p>{CAUTIONS[stage]}</p>
        </Caution>
      )}
      <Readings stage={stage} />
    </Page>
  );
}
