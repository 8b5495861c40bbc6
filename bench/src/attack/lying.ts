import type { Chemistry } from '@cellmend/core/pack';
import { Random } from '@cellmend/core/simpack';
import { LIES, playLying } from '@cellmend/devices/lying';
import { lyingRun, RECIPES } from '@cellmend/devices/lyingCases';
import type { Line } from '../table';

const CHEMISTRIES: Chemistry[] = ['nmc', 'lfp', 'nimh'];
/** Most that a module may hold after whatever an instrument said, of what it can hold; `numbers.md` has the same for a charge. */
const BEYOND = 1.05;

/** Runs of recipes with instruments that tell a voltage which is not the module's. */
export function lyingLines(count: number): Line[] {
  let beyond = 0;
  let endless = 0;
  let fullest = 0;
  let emptiest = 1;
  let honest = 0;
  let honestEnded = 0;
  for (let seed = 0; seed < count; seed++) {
    const random = new Random(900_000 + seed);
    const chemistry = CHEMISTRIES[seed % CHEMISTRIES.length]!;
    const recipes = RECIPES(chemistry);
    const recipe = recipes[random.integer(0, recipes.length - 1)]!;
    const lie = LIES[seed % LIES.length]!;
    const end = playLying(lyingRun(random, chemistry, recipe, lie));
    if (lie === 'none') {
      honest++;
      if (end.why === '') honestEnded++;
    }
    fullest = Math.max(fullest, end.fullest);
    emptiest = Math.min(emptiest, end.emptiest);
    if (end.fullest > BEYOND || end.put > BEYOND || end.emptiest < 1 - BEYOND) beyond++;
    if (end.why === 'it never ended') endless++;
  }
  return [
    {
      what: `${count} runs by lying instruments: modules beyond ${BEYOND * 100} % or below ${Math.round((1 - BEYOND) * 100)} %`,
      ours: String(beyond),
      against: `fullest ${(fullest * 100).toFixed(1)} %, emptiest ${(emptiest * 100).toFixed(1)} %`,
      ratio: `${endless} without end`,
      aim: '0',
      met: beyond === 0 && endless === 0,
    },
    {
      what: 'the same by honest ones: came to the end of their recipe',
      ours: `${honestEnded} of ${honest}`,
      against: '',
      ratio: '',
      aim: 'all',
      met: honestEnded === honest,
    },
  ];
}
