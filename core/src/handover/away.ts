import { EVIDENCE, type Evidence, type LeakCause } from '../insulation';
import type { Chemistry } from '../pack';

/** Seen at a cell that may go on reacting. */
const REACTING: readonly Evidence[] = ['swollen or wet pouch', 'missing burst tab', 'solvent smell'];

/** How a part may leave the workshop. What is not known to be sound counts as damaged. */
export type AwayClass = 'sound' | 'damaged or defective' | 'critical';
export interface AwayFacts {
  chemistry: Chemistry;
  /** What somebody saw at it, whatever the degree. */
  seen: readonly Evidence[];
  /** A Stop of its job told of heat, smoke, hissing or swelling: which part it was, somebody has to say. */
  stopped: boolean;
  crashed: boolean;
  /** High voltage reached the chassis here. */
  insulationLost: boolean;
  /** Below its floor, reversed, or charged beyond its limit. */
  beyondLimits: boolean;
  quarantined: boolean;
  /** Measured, and no verdict on it speaks of harm. */
  measuredHarmless: boolean;
}
export interface Away {
  class: AwayClass;
  because: string;
  /** Under what it is carried. */
  rule: string;
  /** What is done before it leaves, to be ticked on paper. */
  checks: string[];
}

const POLES = 'Poles covered, nothing metal beside them';
const VOLTS = 'Voltage at its poles measured, and written on it with the date';
const LOOKED = 'Looked at: no swelling, no smell, no wetness, cool for an hour';
const TAKER = 'Taker named, licensed for it, and the proof kept';

/** What is known to be wrong with a part: what may go on reacting was seen at it, or damage, in words. */
export function harmOf(f: AwayFacts): { reacting: Evidence[]; damage: string[] } {
  const points = (...causes: LeakCause[]): boolean =>
    f.seen.some((e) => causes.some((c) => c in EVIDENCE[e]));
  return {
    reacting: f.seen.filter((e) => REACTING.includes(e)),
    damage: [
      points('water', 'coolant') ? 'it was wet' : '',
      points('electrolyte') ? 'it leaks' : '',
      points('mechanical', 'harness') || f.crashed ? 'it was struck or rubbed through' : '',
      f.insulationLost ? 'it lost its insulation' : '',
      f.beyondLimits ? 'it was beyond its voltage limits' : '',
    ].filter(Boolean),
  };
}

/**
 * Why a part that comes out goes to quarantine and not onto the shelf; empty where nothing is known against it.
 * @example
 * notForTheShelf({ ...sound, seen: ['swollen or wet pouch'] }) // 'seen at it: swollen or wet pouch'
 */
export function notForTheShelf(f: AwayFacts): string {
  const { reacting, damage } = harmOf(f);
  if (f.stopped) return 'a Stop told of heat, smoke, hissing or swelling';
  return reacting.length > 0 ? `seen at it: ${reacting.join(', ')}` : damage.join(', ');
}

/**
 * How an old or a donor module leaves, and what is done before. The numbers of UN and ADR (SP 376, P908, LP904, P911) are those of
 * `numbers.md`; P903, P909, LP906 and the sea rule for NiMH are from memory. None of it replaces the dangerous-goods adviser.
 */
export function awayOf(f: AwayFacts): Away {
  const nimh = f.chemistry === 'nimh';
  const { reacting, damage } = harmOf(f);
  if (f.stopped || reacting.length > 0)
    return {
      class: 'critical',
      because: f.stopped
        ? 'A Stop told of heat, smoke, hissing or swelling.'
        : `Seen at it: ${reacting.join(', ')}.`,
      rule: nimh
        ? 'Stays here, outdoors, until it is cold and dry; then as the adviser says.'
        : 'Liable to react: P911 or LP906, only as the competent authority has approved. Until then it stays here.',
      checks: [
        'Outdoors or in quarantine, away from everything, its temperature watched',
        'Dangerous-goods adviser asked, and the authority where he says so: nothing leaves before',
        VOLTS,
        TAKER,
      ],
    };
  const sound = f.measuredHarmless && !f.quarantined && f.seen.includes('clean and dry');
  if (damage.length === 0 && sound)
    return {
      class: 'sound',
      because: 'Measured and looked at, and nothing was wrong with it.',
      rule: nimh
        ? 'Not dangerous goods on the road with its poles covered; by sea UN 3496 in larger lots.'
        : 'UN 3480 alone, UN 3481 with or in equipment, UN 3171 in a vehicle; P903, or P909 to be recycled.',
      checks: [VOLTS, LOOKED, POLES, TAKER],
    };
  const because =
    damage.length > 0
      ? `${damage.join(', ').replace(/^./, (c) => c.toUpperCase())}.`
      : f.quarantined
        ? 'It stands in quarantine: it counts as damaged.'
        : 'Nobody has shown that it is sound: it counts as damaged.';
  return {
    class: 'damaged or defective',
    because,
    rule: nimh
      ? 'In a closed box that alkali does not eat, absorbent round it; as the adviser says.'
      : 'UN 3480 under SP 376: P908 or LP904, marked “damaged/defective”. Never by air.',
    checks: [
      VOLTS,
      LOOKED,
      POLES,
      nimh
        ? 'Alone in a leak-proof box, absorbent round it, caustic written on it'
        : 'Alone in its inner packaging, cushioned with what does not burn, absorbent round it',
      'Carrier told in writing what it is; none takes it unasked',
      TAKER,
    ],
  };
}
