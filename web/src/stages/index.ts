import type { Stage } from '@cellmend/core/route';
import type { ComponentType } from 'react';
import { lazily } from '../shell/lazily';
import type { StageProps } from './props';

/** Stages without a computation of their own keep readings and notes. */
export const NOTES = lazily<StageProps, typeof import('./notes/NotesStage')>(
  () => import('./notes/NotesStage'),
  'NotesStage',
);

/** The page of each stage, fetched when it is first shown. */
export const STAGE_VIEWS: Record<Stage, ComponentType<StageProps>> = {
  intake: lazily(() => import('./intake/IntakeStage'), 'IntakeStage'),
  scan: lazily(() => import('./scan/ScanStage'), 'ScanStage'),
  findings: lazily(() => import('./findings/FindingsStage'), 'FindingsStage'),
  'make-safe': lazily(() => import('./make-safe/MakeSafeStage'), 'MakeSafeStage'),
  insulation: lazily(() => import('./insulation/InsulationStage'), 'InsulationStage'),
  'strip-down': lazily(() => import('./strip-down/StripDownStage'), 'StripDownStage'),
  bench: lazily(() => import('./bench/BenchStage'), 'BenchStage'),
  match: lazily(() => import('./match/MatchStage'), 'MatchStage'),
  balance: lazily(() => import('./balance/BalanceStage'), 'BalanceStage'),
  rebuild: lazily(() => import('./rebuild/RebuildStage'), 'RebuildStage'),
  prove: lazily(() => import('./prove/ProveStage'), 'ProveStage'),
  'hand-over': lazily(() => import('./hand-over/HandOverStage'), 'HandOverStage'),
};
