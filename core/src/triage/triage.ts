/** What may be behind a complaint. */
export const CAUSES = [
  'cell or group',
  'balance',
  'insulation',
  'sense board',
  'contactor or pre-charge',
  'crash lock or pyro fuse',
  'under-voltage lock',
  '12 V supply',
  'coolant',
  'connector',
  'joint inside',
] as const;
export type Cause = (typeof CAUSES)[number];

/** Signs that intake asks for: symptoms, when they show, lamps and history. Weights from memory, ranked as the trade ranks them. */
export const SIGNS = {
  'short range': { group: 'symptom', weights: { 'cell or group': 3, balance: 2 } },
  'drops at low charge': { group: 'symptom', weights: { 'cell or group': 4, balance: 1 } },
  'limps under load': {
    group: 'symptom',
    weights: { 'cell or group': 3, 'joint inside': 2, connector: 1, coolant: 1 },
  },
  // A hybrid whose blocks are worn apart: the display follows whichever block the control unit looks at.
  'charge display swings quickly up and down': {
    group: 'symptom',
    weights: { 'cell or group': 4, balance: 2, 'sense board': 1 },
  },
  'will not drive': {
    group: 'symptom',
    weights: {
      'contactor or pre-charge': 2,
      insulation: 2,
      'crash lock or pyro fuse': 1,
      'cell or group': 1,
      connector: 1,
    },
  },
  'will not charge': {
    group: 'symptom',
    weights: { insulation: 2, 'cell or group': 1, connector: 1, 'contactor or pre-charge': 1 },
  },
  'will not wake': {
    group: 'symptom',
    weights: { '12 V supply': 2, 'under-voltage lock': 3, 'crash lock or pyro fuse': 2 },
  },
  'flat after standing': { group: 'symptom', weights: { 'cell or group': 3, '12 V supply': 1 } },
  'insulation warning': { group: 'lamp', weights: { insulation: 6, coolant: 1 } },
  'battery warning': { group: 'lamp', weights: { 'cell or group': 2, balance: 1, 'sense board': 1 } },
  'temperature warning': { group: 'lamp', weights: { coolant: 4, 'cell or group': 1, 'sense board': 1 } },
  // When it shows says as much as what shows.
  'only when warm': {
    group: 'when',
    weights: { 'sense board': 2, coolant: 2, 'cell or group': 2, 'joint inside': 1 },
  },
  'only when cold': { group: 'when', weights: { 'cell or group': 3, 'joint inside': 1 } },
  'only under load': { group: 'when', weights: { 'cell or group': 3, 'joint inside': 3 } },
  'only near empty': { group: 'when', weights: { 'cell or group': 4, balance: 2 } },
  'only after standing': { group: 'when', weights: { 'cell or group': 2, balance: 2, '12 V supply': 1 } },
  'worse after rain': { group: 'when', weights: { insulation: 4, connector: 2 } },
  crash: { group: 'history', weights: { 'crash lock or pyro fuse': 5, insulation: 2, connector: 1 } },
  'flood or jet-wash': { group: 'history', weights: { insulation: 5, 'sense board': 2, connector: 1 } },
  'stood for months': {
    group: 'history',
    weights: { 'under-voltage lock': 4, balance: 2, '12 V supply': 2 },
  },
  'flat 12 V battery': {
    group: 'history',
    weights: { '12 V supply': 2, 'contactor or pre-charge': 2, 'under-voltage lock': 2 },
  },
  'earlier pack repair': {
    group: 'history',
    weights: { balance: 2, connector: 3, 'sense board': 1, 'cell or group': 1 },
  },
  '12 V battery changed already': { group: 'history', weights: { 'contactor or pre-charge': 2 } },
  'control module changed already': { group: 'history', weights: { insulation: 3, 'sense board': 1 } },
} as const satisfies Record<
  string,
  { group: 'symptom' | 'when' | 'lamp' | 'history'; weights: Partial<Record<Cause, number>> }
>;
export type Sign = keyof typeof SIGNS;
export const SIGN_NAMES = Object.keys(SIGNS) as Sign[];

/** What to test next for a cause, and what not to be led into. Common practice of the trade, no source. */
const ADVICE: Record<Cause, { test: string; falseStart: string }> = {
  'cell or group': {
    test: 'Scan near full and near empty in one record.',
    falseStart: 'Condemning a cell that only a sense board misreads: meter it at the terminals first.',
  },
  balance: {
    test: 'Compare the gap near full and near empty: the same in charge is balance.',
    falseStart: 'Replacing a module that is only out of balance.',
  },
  insulation: {
    test: 'Both poles to chassis, pack side and vehicle side apart.',
    falseStart: 'Replacing the control module: it reports the leak, it rarely is the leak.',
  },
  'sense board': {
    test: 'Meter against scan at the odd channel’s terminals.',
    falseStart: 'Replacing the module behind a wrong reading.',
  },
  'contactor or pre-charge': {
    test: 'Listen for pre-charge, then contactors; measure the pre-charge resistor.',
    falseStart: 'A dead 12 V battery is often the result: the pack cannot close, so nothing charges it.',
  },
  'crash lock or pyro fuse': {
    test: 'Continuity of the pyro fuse as evidence; inspection and insulation first.',
    falseStart: 'Bridging or resetting anything: stored crash data is for those licensed to clear it.',
  },
  'under-voltage lock': {
    test: 'Group voltages at the terminals; below the floor is scrap by default.',
    falseStart: 'Charging an over-discharged pack unwatched.',
  },
  '12 V supply': {
    test: '12 V at rest and while waking, and the drain at rest.',
    falseStart: 'Changing the 12 V battery as the cause when it is the result.',
  },
  coolant: {
    test: 'Liquid: level, pump, leaks and residue below the plates. Air: fan, filter and duct, and that nothing lies on the inlet.',
    falseStart: 'Replacing the temperature sensor before the pump was seen to run.',
  },
  connector: {
    test: 'Every connector to its second stage, pins dry and straight.',
    falseStart: 'Opening the pack before the plugs outside were checked.',
  },
  'joint inside': {
    test: 'A drive with a hard pull in the scan; then, proven dead, the joints with a micro-ohmmeter against their like.',
    falseStart:
      'Replacing a module for a loose bus-bar: what sags at once with the current comes back at once.',
  },
};

/** Code prefixes that point at a cause. Assignments are from memory of SAE J2012. */
const CODES: [RegExp, Cause, number][] = [
  [/^P0AA[67]/, 'insulation', 8],
  [/^P0A(7F|80)/, 'cell or group', 5],
  [/^P0B3/, 'sense board', 4],
  [/^P0AA[14]/, 'contactor or pre-charge', 7],
  [/^P0(A94|C78)/, 'contactor or pre-charge', 5],
  [/^P0A0D/, 'connector', 6],
  [/^P0A(7E|9C)/, 'coolant', 4],
];

/** Blocks this far apart in charge are out of balance, and from there on worn apart, per cent. Common practice, no source. */
const APART_PERCENT = 8;
const WORN_APART_PERCENT = 20;

export interface TriageRow {
  cause: Cause;
  share: number;
  because: string[];
  test: string;
  falseStart: string;
}

/**
 * Ranks what is likely from signs, codes and first numbers. Each points at causes with a weight; the shares are plain
 * proportions of those weights, so that a single strong sign does not hide the rest.
 * @param numbers delta between groups in mV, spread of the blocks in per cent of charge as some tools report it, and the vehicle's
 *   insulation figure in Ω, where known.
 */
export function triage(
  signs: readonly Sign[],
  codes: readonly string[],
  numbers: {
    deltaMv?: number | undefined;
    insulationOhm?: number | undefined;
    packVoltageV?: number | undefined;
    blockSpreadPercent?: number | undefined;
  } = {},
): TriageRow[] {
  const score = new Map<Cause, { weight: number; because: string[] }>();
  const add = (cause: Cause, weight: number, why: string): void => {
    const s = score.get(cause) ?? { weight: 0, because: [] };
    s.weight += weight;
    s.because.push(why);
    score.set(cause, s);
  };
  for (const sign of signs)
    for (const [cause, weight] of Object.entries(SIGNS[sign].weights)) add(cause as Cause, weight, sign);
  for (const code of codes)
    for (const [pattern, cause, weight] of CODES)
      if (pattern.test(code.toUpperCase())) add(cause, weight, `code ${code.toUpperCase()}`);
  if (numbers.deltaMv !== undefined) {
    if (numbers.deltaMv >= 200) add('cell or group', 5, `delta ${Math.round(numbers.deltaMv)} mV`);
    else if (numbers.deltaMv >= 50) add('balance', 3, `delta ${Math.round(numbers.deltaMv)} mV`);
  }
  if (numbers.blockSpreadPercent !== undefined) {
    const told = `blocks ${Math.round(numbers.blockSpreadPercent)} % of charge apart`;
    if (numbers.blockSpreadPercent >= WORN_APART_PERCENT) add('cell or group', 5, told);
    else if (numbers.blockSpreadPercent >= APART_PERCENT) add('balance', 3, told);
  }
  // 100 Ω a volt is the limit of UN ECE R100, ISO 6469-3 and FMVSS 305 for a direct-current pack.
  if (numbers.insulationOhm !== undefined && numbers.insulationOhm < 100 * (numbers.packVoltageV ?? 400))
    add('insulation', 6, 'the vehicle’s insulation figure');
  const total = [...score.values()].reduce((s, x) => s + x.weight, 0);
  return [...score]
    .map(([cause, s]): TriageRow => ({
      cause,
      share: s.weight / total,
      because: [...new Set(s.because)],
      ...ADVICE[cause],
    }))
    .sort((a, b) => b.share - a.share || CAUSES.indexOf(a.cause) - CAUSES.indexOf(b.cause));
}

/** Whether the vehicle itself says that its insulation is low: its lamp, or a code of it. */
export const pointsAtInsulation = (signs: readonly Sign[], codes: readonly string[]): boolean =>
  signs.includes('insulation warning') ||
  codes.some((code) =>
    CODES.some(([pattern, cause]) => cause === 'insulation' && pattern.test(code.toUpperCase())),
  );
