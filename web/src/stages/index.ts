import type { Stage } from '@cellmend/core/route';
import type { ComponentType } from 'react';
import { BalanceStage } from './balance/BalanceStage';
import { IntakeStage } from './intake/IntakeStage';
import { FindingsStage } from './findings/FindingsStage';
import { HandOverStage } from './hand-over/HandOverStage';
import { InsulationStage } from './insulation/InsulationStage';
import { MakeSafeStage } from './make-safe/MakeSafeStage';
import { MatchStage } from './match/MatchStage';
import { NotesStage } from './notes/NotesStage';
import { ProveStage } from './prove/ProveStage';
import type { StageProps } from './props';
import { ScanStage } from './scan/ScanStage';

/** The page of each stage. Stages without a computation of their own keep readings and notes. */
export const STAGE_VIEWS: Record<Stage, ComponentType<StageProps>> = {
  intake: IntakeStage,
  scan: ScanStage,
  findings: FindingsStage,
  'make-safe': MakeSafeStage,
  insulation: InsulationStage,
  'strip-down': NotesStage,
  bench: NotesStage,
  match: MatchStage,
  balance: BalanceStage,
  rebuild: NotesStage,
  prove: ProveStage,
  'hand-over': HandOverStage,
};
