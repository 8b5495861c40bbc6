import type { Chemistry } from '../pack';

/** How a part may leave the workshop. What is not known to be sound counts as damaged. */
export type AwayClass = 'sound' | 'damaged or defective' | 'critical';
export interface AwayFacts {
  chemistry: Chemistry;
  /** A Stop told of it, or it was seen: hot, smoking, hissing, swollen, burning. */
  hot: boolean;
  wet: boolean;
  /** Dropped, dented, crashed, opened by force. */
  struck: boolean;
  leaking: boolean;
  /** Below its floor, reversed, or charged beyond its limit. */
  beyondLimits: boolean;
  /** Looked at and measured, and nothing was wrong with it. */
  judgedSound: boolean;
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

/**
 * How an old or a donor module leaves, and what is done before. The numbers of UN and ADR (SP 376, P908, LP904, P911) are those of
 * `numbers.md`; P903, P909, LP906 and the sea rule for NiMH are from memory. None of it replaces the dangerous-goods adviser.
 */
export function awayOf(f: AwayFacts): Away {
  const nimh = f.chemistry === 'nimh';
  if (f.hot)
    return {
      class: 'critical',
      because: 'It was hot, smoking, hissing or swollen.',
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
  const damage = [
    f.wet ? 'it was wet' : '',
    f.struck ? 'it was struck or opened' : '',
    f.leaking ? 'it leaks' : '',
    f.beyondLimits ? 'it was beyond its voltage limits' : '',
  ].filter(Boolean);
  if (damage.length === 0 && f.judgedSound)
    return {
      class: 'sound',
      because: 'Measured, and nothing was wrong with it.',
      rule: nimh
        ? 'Not dangerous goods on the road with its poles covered; by sea UN 3496 in larger lots.'
        : 'UN 3480 alone, UN 3481 with or in equipment, UN 3171 in a vehicle; P903, or P909 to be recycled.',
      checks: [VOLTS, LOOKED, POLES, TAKER],
    };
  const because =
    damage.length > 0
      ? `${damage.join(', ').replace(/^./, (c) => c.toUpperCase())}.`
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
