import { InputProblem } from '../problem';
import { compareOptions, type OptionAsk, type OptionsAsk, type Span } from './options';

const number = (text: string): number => Number(text.replace(/[\s’'](?=\d{3})/g, '').replace(',', '.'));

/**
 * A figure that is not known yet as somebody types it: `520`, `410 to 690`, `410-690`, `410 520 690` (least, likely, most).
 * @throws InputProblem for anything else, and for spans that fall
 */
export function readSpan(text: string, what: string): Span {
  if (text.trim() === '')
    throw new InputProblem('span', `The ${what} is missing.`, what, 'One figure, or 410 to 690.');
  // Between “to” or a dash thousands may stand apart: 13 000 to 14 000. Without one, spaces part the figures.
  const between = /\s+to\s+|\s*[–-]\s*/i;
  const parts = text
    .trim()
    .split(between.test(text.trim()) ? between : /[\s;/]+/)
    .filter(Boolean)
    .map(number);
  const bad = (): InputProblem =>
    new InputProblem(
      'span',
      `“${text.trim()}” is no ${what}.`,
      what,
      'One figure, 410 to 690, or 410 520 690.',
    );
  if (parts.length < 1 || parts.length > 3 || parts.some((v) => !Number.isFinite(v) || v < 0)) throw bad();
  const low = parts[0]!;
  const high = parts.at(-1)!;
  const likely = parts.length === 3 ? parts[1]! : (low + high) / 2;
  if (!(low <= likely && likely <= high)) throw bad();
  return { low, likely, high };
}

/** `1 in 9`, `11 %`, `0.11`. @throws InputProblem */
export function readChance(text: string): number {
  const t = text.trim();
  if (t === '')
    throw new InputProblem('chance', 'How often it comes back is missing.', 'chance', '1 in 9, or 11 %.');
  const inN = /^(\d+(?:[.,]\d+)?)\s*(?:in|of)\s*(\d+(?:[.,]\d+)?)$/i.exec(t);
  const share = inN
    ? number(inN[1]!) / number(inN[2]!)
    : /%$/.test(t)
      ? number(t.replace(/\s*%$/, '')) / 100
      : t === ''
        ? NaN
        : number(t);
  if (!(share >= 0 && share <= 1))
    throw new InputProblem('chance', `“${t}” is no chance.`, 'chance', '1 in 9, 11 % or 0.11.');
  return share;
}

/**
 * Those that are paid for: leaving it as it is costs nothing a year however long, and is no answer to which is cheapest.
 */
export const paidFor = <T extends { cost: Span }>(options: readonly T[]): T[] =>
  options.filter((o) => o.cost.high > 0);

export interface Change {
  /** What would have to be otherwise, in words. */
  if: string;
  then: string;
}
const DRAWS = 4000;
const best = (ask: OptionsAsk): string => {
  const { options } = compareOptions({ ...ask, draws: DRAWS });
  return options.reduce((a, b) => (b.costPerYear.p50 < a.costPerYear.p50 ? b : a)).name;
};
const scaled = (s: Span, by: number): Span => ({ low: s.low * by, likely: s.likely * by, high: s.high * by });

/**
 * What would change which option costs least a year: how long the vehicle is kept, what the cheapest costs, how often it comes
 * back. Each alone, the rest as it is; the same draws throughout, so that nothing changes by chance.
 */
export function whatChanges(ask: OptionsAsk): Change[] {
  if (ask.options.length < 2) return [];
  const now = best(ask);
  const out: Change[] = [];
  const at = ask.options.findIndex((o) => o.name === now);
  const with_ = (option: Partial<OptionAsk>): OptionsAsk => ({
    ...ask,
    options: ask.options.map((o, i) => (i === at ? { ...o, ...option } : o)),
  });
  for (const [word, list] of [
    ['Kept longer than', [1.25, 1.5, 2, 3, 4]],
    ['Kept no longer than', [0.8, 0.6, 0.4, 0.25, 0.15]],
  ] as const) {
    const hit = list.map((k) => ask.horizonYears * k).find((y) => best({ ...ask, horizonYears: y }) !== now);
    if (hit !== undefined)
      out.push({
        if: `${word} ${hit < 3 ? hit.toFixed(1) : hit.toFixed(0)} years`,
        then: best({ ...ask, horizonYears: hit }),
      });
  }
  const own = ask.options[at]!;
  const dearer = [1.1, 1.25, 1.5, 2, 3].find(
    (k) => own.cost.high > 0 && best(with_({ cost: scaled(own.cost, k) })) !== now,
  );
  if (dearer !== undefined)
    out.push({
      if: `${now} costs ${Math.round((dearer - 1) * 100)} % more`,
      then: best(with_({ cost: scaled(own.cost, dearer) })),
    });
  const oftener = [0.1, 0.2, 0.33, 0.5, 0.75, 1]
    .filter((p) => p > own.comebackProbability)
    .find((p) => best(with_({ comebackProbability: p })) !== now);
  if (oftener !== undefined)
    out.push({
      if: `${now} comes back ${oftener === 1 ? 'each time' : `1 time in ${Math.round(1 / oftener)}`}`,
      then: best(with_({ comebackProbability: oftener })),
    });
  const shorter = [0.8, 0.6, 0.4].find((k) => best(with_({ yearsLeft: scaled(own.yearsLeft, k) })) !== now);
  if (shorter !== undefined)
    out.push({
      if: `${now} lasts ${Math.round((1 - shorter) * 100)} % less long`,
      then: best(with_({ yearsLeft: scaled(own.yearsLeft, shorter) })),
    });
  return out;
}
