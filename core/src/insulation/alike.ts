import { lastReadingS, COUNTS_FROM_S } from './passes';
import { spokenOf } from './judgeTest';
import { sizeInWords } from './series';
import type { OddOne, TestRow } from './types';

/**
 * Scatter of ln(R) between like modules that are all well: a tester in use is good to ± 30 % (IEC 61557-2, from memory), taken as two standard
 * deviations. It counts as much as this many modules.
 */
const USUAL_SD = 0.15;
const USUAL_WORTH = 2;
/** Fewer others than this compare with nothing. */
const ENOUGH = 3;
/** Standard deviations below the others from which one is odd. */
const ODD_FROM = 3;

interface Like {
  label: string;
  /** Of one module, Ω: those of a part lie side by side. */
  moduleOhm: number;
  atLeast: boolean;
}

/**
 * Compares what was tested alike, module by module: a resistance far below the others' is odd, however far above its limit. Only passes at one
 * minute are compared, and only those of one voltage, mounted or loose, wet or dry alike.
 *
 * @example
 * // 12, 13, 14, 15 and 16 GΩ, and one of 7.
 * oddOnes(tests)[0].says; // 'M07 has 7 GΩ, the 5 others 12 to 16 GΩ: odd, though above its limit.'
 */
export function oddOnes(tests: readonly TestRow[]): OddOne[] {
  const sets = new Map<string, Map<string, Like>>();
  for (const t of tests) {
    const modules = spokenOf(t).length;
    const { verdict, ohm, atLeast } = t.result;
    if (t.part !== 'section' || modules === 0 || ohm === null || t.query !== '') continue;
    if (verdict !== 'pass' || lastReadingS(t.points) < COUNTS_FROM_S) continue;
    const alike = `${t.mounted} ${t.wetted === true} ${t.setV}`;
    const set = sets.get(alike) ?? new Map<string, Like>();
    // The newest of each part.
    set.set(t.label, { label: t.label, moduleOhm: ohm * modules, atLeast });
    sets.set(alike, set);
  }
  return [...sets.values()].flatMap((set) => {
    const all = [...set.values()];
    return all.flatMap((one) => {
      const others = all.filter((x) => x !== one).map((x) => x.moduleOhm);
      if (one.atLeast || others.length < ENOUGH || !isLow(one.moduleOhm, others)) return [];
      const [low, high] = [Math.min(...others), Math.max(...others)].map(sizeInWords);
      const each = one.label.includes(' to ') ? ' a module' : '';
      return [
        {
          label: one.label,
          moduleOhm: one.moduleOhm,
          says: `${one.label} has ${sizeInWords(one.moduleOhm)}${each}, the ${others.length} others ${low} to ${high}: odd, though above its limit.`,
        },
      ];
    });
  });
}

/** Far below the others: by the spread among them, and by what is usual where there are few of them. */
function isLow(ohm: number, others: readonly number[]): boolean {
  const logs = others.map(Math.log);
  const mean = logs.reduce((a, b) => a + b, 0) / logs.length;
  const squares = logs.reduce((a, b) => a + (b - mean) ** 2, 0);
  const sd = Math.sqrt((USUAL_WORTH * USUAL_SD ** 2 + squares) / (USUAL_WORTH + logs.length - 1));
  return mean - Math.log(ohm) > ODD_FROM * sd * Math.sqrt(1 + 1 / logs.length);
}
