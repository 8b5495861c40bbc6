import type { Pack } from '../pack';
import { MEASURES, type EvidenceId, type Measure, type MeasureKind } from '../route';
import { buildOf, LID } from './build';

/** Whether a measure is worked on the pack at all, rather than decided about it. */
const opens = (kind: MeasureKind): boolean =>
  (MEASURES[kind].needs as readonly EvidenceId[]).includes('made-safe');

/**
 * The parts that a list of measures asks to be laid free: a module that is to come out, a joint alone where the joint is to be mended (those
 * at both ends of a module that is named), the plug of the management unit for a board. What has no part of its own is reached
 * once the lid is off.
 * @returns ids of parts of the build, each once, in the order of the list
 * @example
 * targetsOf([{ kind: 'mend-joint', place: 'L4', dropped: '', closed: false }], pack) // ['L4']
 */
export function targetsOf(
  measures: readonly Pick<Measure, 'kind' | 'place' | 'dropped' | 'closed'>[],
  pack: Pack,
): string[] {
  const { parts } = buildOf(pack);
  const isPart = (id: string): boolean => parts.some((p) => p.id === id);
  const plugs = parts.filter((p) => p.kind === 'sense-plug').map((p) => p.id);
  const jointsAt = (module: string): string[] =>
    (pack.profile.links ?? []).filter((l) => l.between.includes(module)).map((l) => l.id);
  const partsFor = ({ kind, place }: Pick<Measure, 'kind' | 'place'>): string[] => {
    const { on } = MEASURES[kind];
    if (on === 'pack') return [];
    if (on === 'joint' && pack.modules.some((m) => m.id === place)) return jointsAt(place);
    return on === 'board' && !isPart(place) ? plugs : [place];
  };
  return [
    ...new Set(
      measures
        .filter((m) => m.dropped === '' && !m.closed && opens(m.kind))
        .flatMap((m) => {
          const wanted = partsFor(m);
          const known = wanted.filter(isPart);
          return known.length > 0 || MEASURES[m.kind].on === 'pack' ? known : [LID].filter(isPart);
        }),
    ),
  ];
}
