import type { OcvCurve } from '../../pack';
import type { Alternative, ChannelFinding, Film, Verdict } from '../verdict';

/** Causes that one rest cannot tell apart; resistance shows under load alone. */
const CAUSES = ['low-capacity', 'self-discharge', 'imbalance', 'sense-fault'] as const;
type Cause = (typeof CAUSES)[number];

/** Of odd channels, how many are so for each cause. From memory. */
const SHARE: Record<Cause, number> = {
  'low-capacity': 0.3,
  'self-discharge': 0.25,
  imbalance: 0.25,
  'sense-fault': 0.2,
};
/** A cause that is none of these: a module of another make, a map that is wrong. From memory. */
const UNKNOWN = 0.08;
/** One reading settles none of these: no cause is surer. */
export const ONE_READING_SUREST = 0.78;
/** Charge that channels out of balance lie apart, as shares: usual, and now and then; how many are so now and then. From memory. */
const APART = { usual: 0.03, seldom: 0.2, howMany: 0.15 };
/** Capacity that a weak channel has lost, on average, as a share. From memory. */
const LOST = 0.2;
/** Charge that a leaking channel has lost against the others, on average, as a share. From memory. */
const LEAKED = 0.25;
/** Least and most that a wrong reading is off, V. From memory. */
const OFF_V = [0.01, 4] as const;
/** Charge at which the pack stands after a charge and after a drive, as shares. */
const CHARGED = 0.95;
const DRIVEN = 0.5;
/** What leaks in two days of standing, as a share of the capacity: least and most. From memory. */
const IN_TWO_DAYS = [0.003, 0.15] as const;
/** A scan shows a delta again to this, mV. Common practice, no source. */
const AGAIN_MV = 6;

/** One channel at rest against the pack's typical cell. */
export interface Rested {
  curve: OcvCurve;
  socFraction: number;
  /** Of the typical cell and of this channel, V per cell. */
  typicalV: number;
  cellV: number;
  cells: number;
}

/** The curve beyond its empty end: cells go on falling there. */
function extended({ minV, slopeAt, socAt, voltageAt }: OcvCurve) {
  const slope = Math.max(0.5, slopeAt(0.01));
  return {
    socOf: (v: number): number => (v >= minV ? socAt(v) : (v - minV) / slope),
    voltageOf: (s: number): number => (s >= 0 ? voltageAt(Math.min(1, s)) : Math.max(0, minV + s * slope)),
  };
}

/**
 * What one state of charge can say of a channel: a ranked list, never a verdict. Each cause is weighed by how often it is one and by how far
 * off it usually puts a channel: lost capacity shows with what has been drawn from full, a leak takes any charge, balance is rarely far out, and
 * a wrong reading is anything.
 * @returns causes with their shares of 1, likeliest first
 */
export function causesOfOneReading(r: Rested): { verdict: Cause; confidence: number }[] {
  const { socOf } = extended(r.curve);
  const below = r.socFraction - socOf(r.cellV);
  const gapV = r.cellV - r.typicalV;
  // Charge for each volt there: causes in charge and in volts are compared in volts.
  const perVolt = Math.abs(socOf(r.cellV + 0.01) - socOf(r.cellV - 0.01)) / 0.02;
  const laplace = (scale: number): number => Math.exp(-Math.abs(below) / scale) / (2 * scale);
  const drawn = Math.max(0.02, 1 - r.socFraction);
  // Level at full, it holds q of what the others hold: (1 − soc)(1/q − 1) lower.
  const q = 1 / (1 + below / drawn);
  const density: Record<Cause, number> = {
    imbalance: perVolt * ((1 - APART.howMany) * laplace(APART.usual) + APART.howMany * laplace(APART.seldom)),
    'low-capacity': below > 0 ? ((perVolt * Math.exp(-(1 - q) / LOST)) / LOST) * (q ** 2 / drawn) : 0,
    'self-discharge': below > 0 ? (perVolt * Math.exp(-below / LEAKED)) / LEAKED : 0,
    'sense-fault': 1 / (2 * Math.max(OFF_V[0], Math.abs(gapV)) * Math.log(OFF_V[1] / OFF_V[0])),
  };
  const weights = CAUSES.map((verdict) => ({ verdict, weight: SHARE[verdict] * density[verdict] }));
  const total = weights.reduce((s, w) => s + w.weight, 0);
  return weights
    .map(({ verdict, weight }) => ({ verdict, confidence: weight / (total || 1) }))
    .sort((a, b) => b.confidence - a.confidence);
}

/** Causes as one state of charge leaves them: none surer than it may be, and something left for none of them. */
export function stillOpen(
  ranked: readonly Alternative[],
): Pick<ChannelFinding, 'verdict' | 'confidence' | 'alternatives'> {
  const alternatives = ranked
    .map(({ verdict, confidence }) => ({
      verdict,
      confidence: Math.min(ONE_READING_SUREST, (1 - UNKNOWN) * confidence),
    }))
    .filter((a) => a.confidence > 0.004);
  return {
    verdict: 'undetermined',
    confidence: Math.max(0, 1 - alternatives.reduce((s, a) => s + a.confidence, 0)),
    alternatives,
  };
}

/** What a charge, a drive and two days of standing would show of a channel under each cause. */
export function filmsOf(r: Rested, causes: readonly { verdict: Verdict }[]): Film[] {
  const { socOf, voltageOf } = extended(r.curve);
  const below = r.socFraction - socOf(r.cellV);
  const drawn = Math.max(0.02, 1 - r.socFraction);
  const driven = r.socFraction > DRIVEN + 0.1 ? DRIVEN : r.socFraction / 2;
  const mv = (soc: number, lower: number): number =>
    1000 * r.cells * (voltageOf(soc - lower) - voltageOf(soc));
  const between = (...values: number[]): [number, number] => [
    Math.round(Math.min(...values) - AGAIN_MV),
    Math.round(Math.max(...values) + AGAIN_MV),
  ];
  const now = 1000 * r.cells * (r.cellV - r.typicalV);
  const at = (verdict: Verdict, charge: number[], drive: number[], standing: number[]): Film => ({
    verdict,
    shows: [
      { after: 'charge', deltaMv: between(...charge) },
      { after: 'drive', deltaMv: between(...drive) },
      { after: 'standing', deltaMv: between(...standing) },
    ],
  });
  return causes.flatMap(({ verdict }): Film[] => {
    switch (verdict) {
      case 'imbalance':
        return [at(verdict, [mv(CHARGED, below)], [mv(driven, below)], [now])];
      case 'low-capacity': {
        const grown = (soc: number): number => (below * (1 - soc)) / drawn;
        return [at(verdict, [mv(CHARGED, grown(CHARGED))], [mv(driven, grown(driven))], [now])];
      }
      case 'self-discharge': {
        const further = (soc: number): number[] => IN_TWO_DAYS.map((x) => mv(soc, below + x));
        // It leaks on while the pack is charged or driven, by a little.
        const meanwhile = (soc: number): number[] => [mv(soc, below), mv(soc, below + IN_TWO_DAYS[1] / 10)];
        return [at(verdict, meanwhile(CHARGED), meanwhile(driven), further(r.socFraction))];
      }
      case 'sense-fault':
        return [at(verdict, [now], [now], [now])];
      default:
        return [];
    }
  });
}

const NAMES: Record<Cause, string> = {
  'low-capacity': 'lost capacity',
  'self-discharge': 'self-discharge',
  imbalance: 'out of balance',
  'sense-fault': 'a wrong reading',
};

/** A finding from one state of charge: what it may be and what would show it, in place of a verdict. */
export function openFinding(finding: ChannelFinding, rested: Rested): ChannelFinding {
  const open = stillOpen(causesOfOneReading(rested));
  const { alternatives } = open;
  const names = alternatives.filter((a) => a.confidence >= 0.05).map((a) => NAMES[a.verdict as Cause]);
  const list = names.length > 1 ? `${names.slice(0, -1).join(', ')} or ${names.at(-1)!}` : (names[0] ?? '');
  return {
    ...finding,
    ...open,
    films: filmsOf(rested, alternatives),
    estimate: {},
    reasons: [
      finding.reasons[0]!,
      `One state of charge cannot tell what it is: ${list}. Meter it; a charge, a drive or two days of standing tell the rest apart.`,
    ],
  };
}
