import type { Chemistry } from '../pack';
import type { MeasureKind } from '../route';
import type { CycleVerdict } from './cycles';
import type { HoldAnswer } from './hold';

/** What the bench says of one module. */
export interface BenchSaid {
  place: string;
  cycles: { verdict: CycleVerdict; says: string } | null;
  hold: HoldAnswer['verdict'] | null;
  /** Of a supervised recovery: whether it held after; null where none was run through. */
  recovered: boolean | null;
}
export interface BenchProposal {
  kind: MeasureKind;
  place: string;
  why: string;
}

/**
 * Lines for the list of measures that follow from what the bench found. The worst that is known of a module counts; a module that
 * fits, or that cannot be told yet, asks for nothing.
 */
export function benchProposes(said: readonly BenchSaid[], chemistry: Chemistry): BenchProposal[] {
  return said.flatMap(({ place, cycles, hold, recovered }): BenchProposal[] => {
    const out = (kind: MeasureKind, why: string): BenchProposal[] => [{ kind, place, why }];
    if (recovered === false) return out('replace-module', 'was brought up and did not hold: scrap');
    if (hold === 'dead' || hold === 'fail')
      return out(
        'replace-module',
        hold === 'dead' ? 'a cell of it is dead' : 'loses its charge in the hold test',
      );
    if (!cycles) return [];
    switch (cycles.verdict) {
      case 'worn':
      case 'falling':
      case 'fails warm':
        return out('replace-module', cycles.says);
      case 'go on':
      case 'once more':
        return out(chemistry === 'nimh' ? 'condition' : 'balance', cycles.says);
      case 'fit':
      case 'not measured':
        return [];
    }
  });
}
