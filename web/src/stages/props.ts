import type { Stage } from '@cellmend/core/route';

/** What every stage page gets: its one question, and its own name. */
export interface StageProps {
  question: string;
  stage: Stage;
}
