import { sizeInWords } from './series';
import type { InsulationInputs, InsulationObservation, InsulationReport, Jotted } from './types';

/** Which observations still speak of the pack as it is. */
export interface Standing {
  counts: boolean[];
  /** Position of the first observation after the last part went in: what was tested before covers nothing. */
  from: number;
  /** The leak that was found, where all of it left with parts. */
  before: { title: string; gone: string[] } | null;
}

/** Measured figures; what is seen, answered or moved belongs to every state of the pack. */
const FIGURES = new Set<InsulationObservation['kind']>([
  'vehicle',
  'poles',
  'known-resistor',
  'tester',
  'chassis-voltage',
]);

/** Whether a figure was read wet or dry; null for what is none. Nobody said: dry. */
export const stateOf = (o: InsulationObservation): 'dry' | 'wet' | null =>
  !FIGURES.has(o.kind) ? null : ('wetted' in o && o.wetted === true) || afterWater(o) ? 'wet' : 'dry';
const afterWater = (o: InsulationObservation): boolean =>
  o.kind === 'vehicle' && (o.after === 'rain' || o.after === 'washing');

type VehicleFigure = Extract<InsulationObservation, { kind: 'vehicle' }>;
/** What the vehicle showed last: one that was read earlier and written down later is of then. */
export function newestOfVehicle(observations: readonly InsulationObservation[]): VehicleFigure | undefined {
  return observations
    .filter((o) => o.kind === 'vehicle')
    .reduce<VehicleFigure | undefined>((newest, o) => {
      if (!newest || o.readAt === undefined) return o;
      return newest.readAt !== undefined && Date.parse(o.readAt) >= Date.parse(newest.readAt) ? o : newest;
    }, undefined);
}

/** It speaks of this module alone. */
function ofModule(o: InsulationObservation, module: string): boolean {
  const part =
    o.kind === 'tester' && o.tested.part === 'section' ? o.tested : o.kind === 'poles' ? o.section : null;
  return (o.kind === 'seen' && o.module === module) || (part?.from === module && part.to === module);
}

const jottedTitle = (low: readonly Jotted[]): string =>
  `At ${low.map((j) => `${j.module} (${sizeInWords(j.ohm ?? 0)} jotted)`).join(' and ')}`;

/**
 * What still speaks of the pack once parts went in. What was seen and measured at a module belongs to the part that stood there then. Where
 * all that was found left with its parts, every figure of before is of another pack; where it did not, the rest still speaks.
 * @param foundBy the report of the first so many observations, of those that count
 */
export function standingNow(
  observations: readonly InsulationObservation[],
  { fitted = [] }: Pick<InsulationInputs, 'fitted'>,
  foundBy: (n: number, counts: boolean[]) => Pick<InsulationReport, 'title' | 'found' | 'more' | 'jotted'>,
): Standing {
  const counts = observations.map(() => true);
  let before: Standing['before'] = null;
  const gone = new Set<string>();
  const moments = [...new Set(fitted.map((f) => f.after))].sort((a, b) => a - b);
  for (const after of moments) {
    const was = foundBy(after, counts.slice(0, after));
    for (const f of fitted) if (f.after === after) gone.add(f.module);
    // A low figure that was only jotted says where the leak was, once that part has left.
    const jotted = (was.jotted ?? []).filter((j) => j.low && j.ofPartBefore && gone.has(j.module));
    const found = was.found?.split(' and ') ?? jotted.map((j) => j.module);
    // Where one more leaks than was found, what was measured still speaks of that.
    const allLeft = found.length > 0 && !was.more && found.every((m) => gone.has(m));
    if (allLeft) before = { title: was.found ? was.title : jottedTitle(jotted), gone: found };
    observations.slice(0, after).forEach((o, i) => {
      if (allLeft && FIGURES.has(o.kind)) counts[i] = false;
      for (const f of fitted) if (f.after === after && ofModule(o, f.module)) counts[i] = false;
    });
  }
  return { counts, from: moments.at(-1) ?? 0, before };
}
