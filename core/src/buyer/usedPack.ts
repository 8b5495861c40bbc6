import { compareOptions, type Span } from '../cost';
import { notMeasured, type Measured, type Pack } from '../pack';
import { lifeByHealth, yearsBySubtraction, yearsInLine } from '../range';
import { buyersCheck, insulationLine } from './check';
import {
  FIRST,
  LOOK_IDS,
  LOOKS,
  type Offer,
  type UsedFor,
  type UsedPackAsk,
  type UsedPackVerdict,
} from './offer';
import {
  lifeLines,
  lookLine,
  pct,
  reportedLine,
  shownDelta,
  storedLine,
  temperatureLine,
} from './usedPackLines';

/** What management units report as health is right within so much (one standard deviation). From memory. */
const REPORTED_SD = 0.03;
const DRAWS = 20_000;

/** All that is paid before it runs. A deposit that nobody promised back is taken as gone: the careful choice. */
export function comesTo(o: Offer): Span {
  const sure = o.price * (1 + o.taxFraction) + o.freight + o.ownHours * o.hourRate;
  const [low, high] = { yes: [0, 0], no: [1, 1], unsure: [0, 1] }[o.depositBack] as [number, number];
  return { low: sure + low * o.deposit, likely: sure + high * o.deposit, high: sure + high * o.deposit };
}

/** How long it lasts, by both schools of the trade. */
function lastsOf({ facts, shown, report, use }: UsedPackAsk, pack: Pack): UsedPackVerdict['lasts'] {
  const { ratedRangeKm } = pack.profile;
  const { odometerKm, ageYears } = facts;
  const bySubtraction =
    odometerKm !== null && ageYears !== null && ratedRangeKm && use
      ? yearsBySubtraction(odometerKm, ratedRangeKm, ageYears, use.distanceKmPerYear)
      : null;
  const measuredHealth: Measured =
    report?.health ?? notMeasured('No capacity was measured.', 'A discharge between two rests.');
  const reported = !measuredHealth.measured;
  const health = measuredHealth.measured ? measuredHealth.value : shown.healthFraction;
  if (health === null || ageYears === null || ageYears <= 0) return { bySubtraction, byHealth: null };
  const sd = measuredHealth.measured ? (measuredHealth.high - measuredHealth.low) / 4 : REPORTED_SD;
  const l = lifeByHealth(health, 2 * sd, ageYears);
  return {
    bySubtraction,
    byHealth: {
      low: l.fromYears,
      likely: l.yearsLeft,
      high: l.toYears,
      inLine: yearsInLine(health, ageYears),
      reported,
    },
  };
}

/** The careful one of both schools is the likely one; least and most are those of either. */
export function carefulYears({ bySubtraction: s, byHealth: h }: UsedPackVerdict['lasts']): Span | null {
  const all = [s, h].filter((v): v is NonNullable<typeof v> => v !== null);
  if (all.length === 0) return null;
  const of = (pick: (...v: number[]) => number, key: keyof Span): number => pick(...all.map((v) => v[key]));
  return { low: of(Math.min, 'low'), likely: of(Math.min, 'likely'), high: of(Math.max, 'high') };
}

/** Price at which it costs as much a year as what would be done instead, if it lasts so long. */
function ceiling(offer: Offer, use: UsedFor, lastsYears: number): number {
  const insteadAYear = use.insteadCost / Math.min(use.keepsYears, use.insteadYears);
  const rest = comesTo({ ...offer, price: 0 }).likely;
  return Math.max(0, (insteadAYear * Math.min(use.keepsYears, lastsYears) - rest) / (1 + offer.taxFraction));
}

/** Cost a year of both ways, drawn as the owner's options are. */
function drawn(total: Span, life: Span, use: UsedFor): NonNullable<UsedPackVerdict['perYear']> {
  const sure = (v: number): Span => ({ low: v, likely: v, high: v });
  const option = { rangeKm: sure(0), comebackProbability: 0, comebackCost: sure(0) };
  const { options } = compareOptions({
    horizonYears: use.keepsYears,
    distanceKmPerYear: use.distanceKmPerYear,
    currency: '',
    draws: DRAWS,
    seed: 1,
    options: [
      { ...option, name: 'this', cost: total, yearsLeft: life },
      { ...option, name: 'instead', cost: sure(use.insteadCost), yearsLeft: sure(use.insteadYears) },
    ],
  });
  const [own, instead] = options;
  return { this: own!.costPerYear, instead: instead!.costPerYear, cheaper: own!.chanceCheapest };
}

type Judged = Omit<UsedPackVerdict, 'changes' | 'perYear'>;

function judge(ask: UsedPackAsk, pack: Pack): Judged {
  const { report, facts, shown, looked, offer, use } = ask;
  const scanned = report ? buyersCheck(report, pack, facts) : null;
  const lasts = lastsOf(ask, pack);
  const life = carefulYears(lasts);
  const measuredLines = [
    ...(scanned
      ? scanned.lines.filter((l) => !l.what.startsWith('Life'))
      : [shownDelta(shown, pack), temperatureLine(shown), insulationLine(facts, pack)]),
    ...(shown.healthFraction !== null && !report?.health.measured
      ? [reportedLine(shown.healthFraction)]
      : []),
    storedLine(shown),
    ...lifeLines(lasts, shown),
  ];
  const lines = [...measuredLines, ...LOOK_IDS.map((l) => lookLine(l, looked[l]))];
  const total = offer && comesTo(offer);
  const atMost =
    offer && use && life
      ? { likely: ceiling(offer, use, life.likely), least: ceiling(offer, use, life.low) }
      : null;
  const lacking = [
    ...FIRST.filter((l) => looked[l] === undefined).map((l) => `Look: ${LOOKS[l].asks.toLowerCase()}?`),
    ...(!report && shown.deltaMv === null ? ['A scan on the bench, or the delta it shows.'] : []),
    ...(!report && shown.deltaMv !== null && shown.socFraction === null
      ? ['The charge at which that delta shows.']
      : []),
    ...(life ? [] : ['What tells how long it lasts: its age, and distance or health.']),
    ...(offer ? [] : ['What is asked for it.']),
    ...(use ? [] : ['What it is for, and what would be done instead.']),
  ];
  const said = (verdict: Judged['verdict'], because: string): Judged => ({
    verdict,
    because,
    lines,
    lacking,
    lasts,
    comesTo: total,
    atMost,
  });
  const bad = LOOK_IDS.filter((l) => looked[l] === 'bad');
  const leaves = bad.filter((l) => LOOKS[l].leaves);
  // How long it lasts is weighed by what it costs, not twice.
  const poor = measuredLines.filter((l) => l.judged === 'poor' && !l.what.startsWith('Lasts'));
  const told = poor.map((l) => l.what.replace(/^./, (c) => c.toLowerCase())).join('; ');
  if (leaves.length > 0) return said('leave it', `${leaves.map((l) => LOOKS[l].bad).join('. ')}.`);
  if (scanned?.verdict === 'leave it') return said('leave it', scanned.because);
  if (life && life.likely < 1)
    return said('leave it', 'By the careful estimate less than a year is left of it.');
  if (poor.length > 1 || poor.some((l) => l.what === 'Insulation')) return said('leave it', `Poor: ${told}.`);
  if (lacking.length > 0 || !offer || !use || !life || !atMost)
    return said('cannot tell yet', 'Some of it is still to be asked, looked at or read.');
  if (atMost.likely <= 0)
    return said('leave it', 'Even as a gift it costs more a year than what would be done instead.');
  const unsettled = bad.filter((l) => !LOOKS[l].leaves && l !== 'return').map((l) => LOOKS[l].bad);
  if (poor.length + unsettled.length > 0)
    return said('cannot tell yet', `To settle first: ${[told, ...unsettled].filter(Boolean).join('; ')}.`);
  if (offer.price <= atMost.least)
    return said(
      'buy',
      'Even if it lasts no longer than the least, it costs less a year than what would be done instead.',
    );
  return said(
    'at most',
    offer.price <= atMost.likely
      ? 'Worth what is asked if it lasts as long as the careful estimate says; not if it lasts no longer than the least.'
      : 'What is asked is more than it saves over what would be done instead.',
  );
}

const VERDICTS = {
  buy: 'buy',
  'at most': 'buy at most',
  'leave it': 'leave it',
  'cannot tell yet': 'cannot be told',
} as const;

/** What alone would make the verdict another one, the rest as it is. */
function changesOf(ask: UsedPackAsk, pack: Pack, now: Judged): UsedPackVerdict['changes'] {
  const { offer, use, shown, facts, report } = ask;
  if (!offer || !use || !now.atMost || now.verdict === 'cannot tell yet') return [];
  const out: UsedPackVerdict['changes'] = [];
  const tell = (word: string, other: Partial<UsedPackAsk>): boolean => {
    const then = judge({ ...ask, ...other }, pack).verdict;
    if (then === now.verdict) return false;
    out.push({ if: word, then: VERDICTS[then] });
    return true;
  };
  /** The first of several that changes it. */
  const first = <T>(
    list: readonly T[],
    word: (v: T) => string,
    other: (v: T) => Partial<UsedPackAsk>,
  ): void => {
    for (const v of list) if (tell(word(v), other(v))) return;
  };
  if (offer.depositBack !== 'yes' && offer.deposit > 0)
    tell('The deposit comes back, in writing', { offer: { ...offer, depositBack: 'yes' } });
  if (offer.depositBack !== 'no' && offer.deposit > 0)
    tell('The deposit does not come back', { offer: { ...offer, depositBack: 'no' } });
  if (!report?.health.measured && shown.healthFraction !== null && (facts.ageYears ?? 0) > 0) {
    const at = (h: number): Partial<UsedPackAsk> => ({ shown: { ...shown, healthFraction: h } });
    const steps = Array.from({ length: 29 }, (_, i) => (i + 1) / 100);
    const health = shown.healthFraction;
    first(
      steps.map((d) => health - d).filter((h) => h >= 0.5),
      (h) => `Its health is measured as ${pct(h)}`,
      at,
    );
    first(
      steps.map((d) => health + d).filter((h) => h <= 1),
      (h) => `Its health is measured as ${pct(h)}`,
      at,
    );
  }
  const keeps = (y: number): Partial<UsedPackAsk> => ({ use: { ...use, keepsYears: y } });
  first(
    [0.8, 0.6, 0.4, 0.25].map((k) => Math.round(use.keepsYears * k * 2) / 2).filter((y) => y > 0),
    (y) => `It is kept for ${y} years only`,
    keeps,
  );
  first(
    [1.25, 1.5, 2, 3].map((k) => Math.round(use.keepsYears * k * 2) / 2),
    (y) => `It is kept for ${y} years`,
    keeps,
  );
  const instead = (k: number): Partial<UsedPackAsk> => ({
    use: { ...use, insteadCost: use.insteadCost * k },
  });
  first(
    [0.9, 0.75, 0.5],
    (k) => `What would be done instead costs ${Math.round((1 - k) * 100)} % less`,
    instead,
  );
  first(
    [1.1, 1.25, 1.5, 2],
    (k) => `What would be done instead costs ${Math.round((k - 1) * 100)} % more`,
    instead,
  );
  return out;
}

/**
 * Whether a whole used pack is worth its price: what was read and looked at, how long it lasts by both schools, all that it comes to,
 * and up to which price it costs less a year than what would be done instead. What nobody looked at does not pass: without the
 * looks that no money is put down without, a delta and a life estimate it cannot be told; struck, wet, crashed or worn is left.
 */
export function usedPack(ask: UsedPackAsk, pack: Pack): UsedPackVerdict {
  const now = judge(ask, pack);
  const life = carefulYears(now.lasts);
  return {
    ...now,
    perYear: now.comesTo && ask.use && life ? drawn(now.comesTo, life, ask.use) : null,
    changes: changesOf(ask, pack, now),
  };
}
