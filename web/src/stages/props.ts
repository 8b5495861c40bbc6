import type { Stage } from '@cellmend/contract/jobs';

/** What every stage page gets: its one question, and its own name. */
export interface StageProps {
  question: string;
  stage: Stage;
}
