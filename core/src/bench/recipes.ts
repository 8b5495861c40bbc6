import { LEAST_OHM_PER_V } from '../insulation/limits';
import { factsOf, fullV, limitOf, limitValue, type PackProfile } from '../pack';

/** What stops a step at once, whoever watches it. Null where the recipe sets none. */
export interface HardLimits {
  mostVPerCell: number;
  leastVPerCell: number;
  mostA: number;
  mostC: number;
  /** Rise of temperature, °C a minute. */
  mostCPerMin: number | null;
  /** Fall of voltage at the end of a charge, V a cell. */
  minusDeltaVPerCell: number | null;
  mostAh: number;
  mostHours: number;
}
export interface RecipeStep {
  name: string;
  hours: number;
  /** Positive discharges, negative charges, A. */
  currentA: number;
  attended: boolean;
  limits: HardLimits;
  /** Drawn by resistors: what flows follows the voltage, Ω. */
  ohm?: number | undefined;
}
export interface Recipe {
  id: RecipeId;
  version: number;
  name: string;
  /** What it is for, and what speaks against it. */
  says: string;
  /** What it runs on: one module, two of which one is emptied into the other, or the whole pack at its own terminals. */
  on: 'module' | 'transfer' | 'pack' | 'elsewhere';
  /** Run from another stage, by its own instrument and rules; nothing of it is switched on from the bench. */
  at?: 'insulation' | 'rebuild';
  steps: RecipeStep[];
}
export const RECIPE_IDS = [
  'rest',
  'capacity',
  'nimh-rated',
  'slow-balance',
  'hard-charge',
  'pulse',
  'hold',
  'recover',
  'resistor-bank',
  'give',
  'take',
  'wake',
  'insulation',
  'board-reply',
  'other',
] as const;
export type RecipeId = (typeof RECIPE_IDS)[number];

/** Discharge rates and rests that are usual, h and C. Common practice, no source, but for the rated procedure. */
const LITHIUM_C = 1 / 3;
const REST_H = 1;
/** What a discharger and a charger in turn leave of what flows. From memory. */
const TWO_CONVERSIONS = 0.85;

/**
 * The recipes that a pack's modules may be run by, with their currents, times and hard limits worked out for its chemistry and
 * capacity, and within what the instrument gives. IEC 61951-2 for the rated capacity of NiMH (0.1 C for 16 h, rest, 0.2 C to 1.0 V a cell); all else common practice.
 */
export function recipesFor(
  profile: PackProfile,
  instrument: { mostA: number | null; ohm?: number | null } = { mostA: null },
): Recipe[] {
  const c = profile.ratedCapacityAh;
  const nimh = profile.chemistry === 'nimh';
  const facts = factsOf(profile.chemistry).cell;
  const gives = instrument.mostA ?? Infinity;
  const most = Math.min(gives, limitOf(profile, 'chargeMostA')?.value ?? Infinity);
  const draw = Math.min(gives, limitOf(profile, 'dischargeMostA')?.value ?? Infinity);
  const limits = (currentA: number, hours: number, more: Partial<HardLimits> = {}): HardLimits => ({
    mostVPerCell: nimh ? 1.5 : limitValue(profile, 'cellFullV'),
    // numbers.md: a stick of 12 is stopped at 10.8 V.
    leastVPerCell: nimh ? 0.9 : Math.max(limitValue(profile, 'cellEmptyV'), facts.floorV),
    mostA: Math.min(Math.abs(currentA) * 1.1, currentA < 0 ? most : draw),
    mostC: nimh ? 45 : limitValue(profile, 'temperatureMostC'),
    mostCPerMin: nimh ? 1 : null,
    minusDeltaVPerCell: nimh && currentA < 0 ? 0.01 : null,
    mostAh: c * 1.2,
    mostHours: hours,
    ...more,
  });
  const step = (
    name: string,
    wantedA: number,
    hours: number,
    attended = false,
    more: Partial<HardLimits> = {},
  ): RecipeStep => {
    // Never beyond what the maker allows: it takes longer then.
    const currentA = wantedA < 0 ? -Math.min(-wantedA, most) : Math.min(wantedA, draw);
    const takes = currentA === 0 ? hours : (hours * wantedA) / currentA;
    return { name, currentA, hours: takes, attended, limits: limits(currentA, takes * 1.5, more) };
  };
  const set = (attended = true): RecipeStep => step('connect', 0, 0.25, attended);
  const rest = step('rest', 0, REST_H);
  const capacity: Recipe = {
    id: 'capacity',
    on: 'module',
    version: 1,
    name: 'Capacity',
    says: 'Charge, rest, discharge to the cut-off, logged: what it holds.',
    steps: nimh
      ? [set(), step('charge', -c, 1.2), rest, step('discharge', c, 1.1)]
      : [
          set(),
          step('charge', -c * LITHIUM_C, 1 / LITHIUM_C),
          rest,
          step('discharge', c * LITHIUM_C, 1 / LITHIUM_C),
        ],
  };
  const resting: Recipe = {
    id: 'rest',
    on: 'module',
    version: 1,
    name: 'Rest voltage',
    says: 'An hour with nothing connected but a meter: what its voltage settles at.',
    steps: [set(), rest],
  };
  const pulse: Recipe = {
    id: 'pulse',
    on: 'module',
    version: 1,
    name: 'Pulse resistance',
    says: 'A step of current, read after one and ten seconds.',
    steps: [set(), step('pulse', c, 0.25, true)],
  };
  const hold: Recipe = {
    id: 'hold',
    on: 'module',
    version: 1,
    name: 'Hold test',
    says: 'Left alone after its charge: what falls is its leakage. Days, for lithium.',
    steps: [set(), step('hold', 0, nimh ? 24 : 72)],
  };
  const floorV = limitValue(profile, 'cellFloorV');
  const recover: Recipe = {
    id: 'recover',
    on: 'module',
    version: 2,
    name: 'Supervised recovery',
    says: 'Scrap by default. Above the floor only, outdoors, low current, somebody there all the time, and it has to hold after.',
    steps: [
      set(),
      step('low charge', -c * 0.02, 6, true, {
        mostC: 35,
        mostAh: c * 0.12,
        mostCPerMin: 0.2,
        // From where it may be tried at all up to where an ordinary charge begins.
        leastVPerCell: limitValue(profile, 'cellScrapV'),
        mostVPerCell: limitValue(profile, 'cellEmptyV') + 0.2,
      }),
      // It has to hold: what falls back below the floor within a day is scrap.
      step('hold', 0, 24, false, { leastVPerCell: floorV, mostC: 35 }),
    ],
  };
  // What is emptied and what is filled by it: the taker takes what is left after two conversions.
  const flowA = c * (nimh ? 0.5 : LITHIUM_C);
  const transfer: Recipe[] = [
    {
      id: 'give',
      on: 'transfer',
      version: 1,
      name: 'Into another module',
      says: 'Emptied into its neighbour: half the heat, half the socket. Whichever comes to its limit ends both.',
      steps: [set(), step('give', flowA, c / flowA)],
    },
    {
      id: 'take',
      on: 'transfer',
      version: 1,
      name: 'From another module',
      says: 'Filled by its neighbour, with what two conversions leave.',
      steps: [set(), step('take', -flowA * TWO_CONVERSIONS, c / flowA / TWO_CONVERSIONS)],
    },
  ];
  const bank: Recipe[] =
    instrument.ohm == null
      ? []
      : [
          {
            id: 'resistor-bank',
            on: 'module',
            version: 1,
            name: 'Into the resistor bank',
            says: 'A first discharge through resistors: what flows falls with the voltage. Nothing is charged by it.',
            steps: [set(), { ...step('into the bank', 1, c * 1.2), ohm: instrument.ohm }],
          },
        ];
  const wake: Recipe = {
    id: 'wake',
    on: 'pack',
    version: 1,
    name: 'Wake a pack that is asleep',
    says: 'A trickle through its own terminals until its management unit answers, then it is scanned. A group at 0 V still means strip-down.',
    steps: [
      step('trickle', -c * 0.01, 3, true, {
        mostC: 35,
        mostCPerMin: 0.2,
        mostAh: c * 0.03,
        leastVPerCell: limitValue(profile, 'cellScrapV'),
        mostVPerCell: limitValue(profile, 'cellEmptyV') + 0.3,
      }),
    ],
  };
  const strings = profile.channels.reduce((n, x) => n + x.cells, 0);
  const workingV = fullV(profile, strings);
  const elsewhere: Recipe[] = [
    {
      id: 'insulation',
      on: 'elsewhere',
      at: 'insulation',
      version: 1,
      name: 'Insulation of a module',
      says: `Against its case for 60 s, at ${Math.ceil(workingV)} V at least, which it meets again in the string, and ${limitValue(profile, 'testVoltageMostV')} V at most; at least ${((LEAST_OHM_PER_V.ac * workingV) / 1e6).toFixed(2)} MΩ by 500 Ω/V. Run from Insulation, by its tester.`,
      steps: [],
    },
    {
      id: 'board-reply',
      on: 'elsewhere',
      at: 'rebuild',
      version: 1,
      name: 'Sense board replies',
      says: 'Every group and every temperature answers at the board before the lid closes. Ticked and kept under Rebuild.',
      steps: [],
    },
  ];
  if (!nimh) return [capacity, resting, pulse, hold, recover, ...bank, ...transfer, wake, ...elsewhere];
  return [
    capacity,
    {
      id: 'nimh-rated',
      on: 'module',
      version: 1,
      name: 'Rated capacity',
      says: 'IEC 61951-2: the figure that can be compared with anybody’s.',
      steps: [
        set(),
        step('charge', -0.1 * c, 16, false, { mostAh: c * 1.7 }),
        rest,
        step('discharge', 0.2 * c, 5.5, false, { leastVPerCell: 1.0 }),
      ],
    },
    {
      id: 'slow-balance',
      on: 'module',
      version: 1,
      name: 'Slow balance',
      says: 'Overnight at 0.05 C, then a cycle: weak cells fill while full ones waste a little heat. Gentle, and slow.',
      steps: [
        set(),
        step('balance', -0.05 * c, 14, false, {
          mostVPerCell: 1.55,
          mostAh: c * 0.9,
          minusDeltaVPerCell: null,
        }),
      ],
    },
    {
      id: 'hard-charge',
      on: 'module',
      version: 1,
      name: 'Hard charge, then trickle',
      says: 'With forced air until temperature ends it, then trickle. Fast, and hard on cells that are worn.',
      steps: [
        set(),
        step('charge', -c, 1.5, true, { mostVPerCell: 1.6, mostC: 50 }),
        step('trickle', -0.05 * c, 4, false, { mostVPerCell: 1.55, minusDeltaVPerCell: null }),
      ],
    },
    resting,
    pulse,
    hold,
    ...bank,
    ...transfer,
    ...elsewhere,
  ];
}

/** Where a discharge by a recipe stops, V a cell. */
export const cutoffVPerCell = (recipe: Recipe): number =>
  Math.max(...recipe.steps.map((s) => s.limits.leastVPerCell));

/** What a run that was tended by hand crossed of its recipe's limits, in words; empty where nothing. */
export function limitsCrossed(
  recipe: Recipe,
  cells: number,
  run: { hottestC: number | null; endV: number | null; currentA: number | null; hours: number | null },
): string[] {
  const all = recipe.steps.map((s) => s.limits);
  const most = (of: (l: HardLimits) => number): number => Math.max(...all.map(of));
  const out: string[] = [];
  // What is run elsewhere has its limits there.
  if (all.length === 0) return out;
  if (run.hottestC !== null && run.hottestC > most((l) => l.mostC))
    out.push(`${run.hottestC.toFixed(0)} °C, the limit is ${most((l) => l.mostC)} °C.`);
  if (run.endV !== null && run.endV > cells * most((l) => l.mostVPerCell) * 1.002)
    out.push(`${run.endV.toFixed(2)} V, the limit is ${(cells * most((l) => l.mostVPerCell)).toFixed(2)} V.`);
  if (run.endV !== null && run.endV < cells * cutoffVPerCell(recipe) * 0.95)
    out.push(`${run.endV.toFixed(2)} V, below ${(cells * cutoffVPerCell(recipe)).toFixed(2)} V.`);
  if (run.currentA !== null && Math.abs(run.currentA) > most((l) => l.mostA) * 1.02)
    out.push(`${Math.abs(run.currentA).toFixed(1)} A, the limit is ${most((l) => l.mostA).toFixed(1)} A.`);
  const hours = recipe.steps.reduce((s, x) => s + x.limits.mostHours, 0);
  if (run.hours !== null && run.hours > hours)
    out.push(`${run.hours.toFixed(1)} h, the limit is ${hours.toFixed(1)} h.`);
  return out;
}
