import { judgeAt, OUT_OF_BOUNDS, possibleV, type Pack, type VoltageJudged } from '../pack';
import { InputProblem } from '../problem';
import { buildOf, partName } from '../stripdown';
import { median, modifiedZScores } from '../diagnosis';
import { ntcTemperature } from './ntc';
import { findPlace, looksLikePlace, placeName, placesBetween, voltagePlace, type Place } from './place';
import { parseFigure, printQuantity, QUANTITIES, type Bound, type Quantity } from './quantity';

/** What a jotted line says. */
export type Jot =
  | {
      type: 'reading';
      place: Place;
      quantity: Quantity;
      /** Infinity where the meter was over its range. */
      value: number;
      bound?: Bound;
      conditions: string;
    }
  | { type: 'note'; place: Place; text: string }
  | { type: 'clock'; minutes: number; text: string }
  | { type: 'find'; place: Place }
  /** A step of the work is done: that part, or whatever is next. */
  | { type: 'done'; part: string | null };

export type JottedReading = Extract<Jot, { type: 'reading' }>;

const SHAPES = 'm07 3.982 · m7 ins 482M · ch18 3.87 V · note m10 green residue · clock 45m rest';

/** Every shape that is read, with what it means: the page's help under `?`, and kept true by a test. */
export const JOT_SHAPES: readonly (readonly [string, string])[] = [
  ['m07 3.982', 'Voltage of a module, or of one of its groups'],
  ['ch18 3.87 V', 'Voltage of a channel'],
  ['m07,3.982', 'The same from a list or a spreadsheet'],
  ['ch18..ch20 3.98 3.97 3.98', 'Several in a row; - leaves one out'],
  ['m7 ins 482M', 'Insulation; >4G at least, OL over the range'],
  ['+ch 23k', 'Resistance of the positive pole to chassis; -ch the negative'],
  ['m07 r 0.8m', 'Resistance, here in milliohms'],
  ['m07 cap 4.5', 'Capacity in A·h'],
  ['m07 temp 35', 'Temperature; 95F, or 6.2k ntc for a 10 kΩ sensor'],
  ['m07 tq 9.5', 'Torque in N·m'],
  ['m07', 'Shows the place and arms it: the next figure is of it'],
  ['note m10 green residue', 'A note, at a place or of the pack'],
  ['clock 45m rest', 'A clock; h and d as well'],
  ['done', 'Ticks the next step of Strip down; done m07 that one'],
];

/** A line that can mean two things is asked about, never guessed: each choice is a line that means one. */
export class JotQuestion extends InputProblem {
  constructor(
    what: string,
    readonly choices: readonly { says: string; line: string }[],
  ) {
    super('ask', what, '', choices.map((c) => c.line).join(' · '));
  }
}

/** What a voltage typed at a place means: of one group or of the whole, and what floor and ceiling say of it. */
export interface VoltageTyped {
  perGroup: boolean;
  judged: VoltageJudged;
}

/** Tells one group's voltage from that of a whole module, and judges it: 3.98 at a module of several groups is one group's. */
export function voltageAt(value: number, place: Place, pack: Pack): VoltageTyped {
  const judged = judgeAt(pack, voltagePlace(place), value);
  const one = judgeAt(pack, { kind: 'group' }, value);
  const perGroup =
    place.kind === 'module' && judged.cells > 1 && value > 0.5 && !OUT_OF_BOUNDS.has(one.state);
  return perGroup ? { perGroup, judged: one } : { perGroup: false, judged };
}

/** Refuses a voltage that is not possible there. */
function voltageConditions(value: number, place: Place, pack: Pack): string {
  const { perGroup, judged } = voltageAt(value, place, pack);
  if (judged.state === 'impossible') {
    const { mostV } = possibleV(pack.profile, judged.cells);
    const hint = value / 1000 <= mostV && value > 20 ? ` For millivolts write ${value} mV.` : '';
    throw new InputProblem('voltage', judged.says, '', `Volts that are possible there.${hint}`);
  }
  return perGroup ? 'per group' : '';
}

const DURATION = /^(\d+(?:[.,]\d+)?)(h|m|min|d)$/i;

/** `m07,3.982`, `m07;3.982`, `m07=3.982`: what a list or a scanner puts between a place and its figure is a space. */
function spaced(line: string, pack: Pack): string {
  const parts = /^\s*([^\s,;=:]+)\s*[,;=:]\s*(.+)$/.exec(line);
  return parts && (findPlace(parts[1]!, pack) || looksLikePlace(parts[1]!))
    ? `${parts[1]} ${parts[2]!.replace(/^([a-z]+)\s*[,;=:]\s*/i, '$1 ')}`
    : line;
}

/**
 * Reads one jotted line that says one thing. Without a unit a number is the quantity `usual` for the stage at hand;
 * without a place it is of the place that is armed, else of the whole pack. A bare temperature is in the workshop's degrees.
 * @throws InputProblem with a hint for what cannot be read or cannot be; JotQuestion for what can be two things.
 */
export function parseJot(line: string, pack: Pack, usual: Quantity = 'voltage', armed?: Place | null): Jot {
  const jots = parseJots(line, pack, usual, armed);
  if (jots.length !== 1)
    throw new InputProblem('many', 'That line holds several readings.', '', 'One place and one figure.');
  return jots[0]!;
}

/** Reads one line that may hold several readings: `ch18..ch24 3.98 3.97 …`. As {@link parseJot} otherwise. */
export function parseJots(
  line: string,
  pack: Pack,
  usual: Quantity = 'voltage',
  armed: Place | null = null,
  bareTemperature: 'C' | 'F' = 'C',
): Jot[] {
  const words = spaced(line, pack).trim().split(/\s+/).filter(Boolean);
  if (words.length === 0) throw new InputProblem('empty', 'Nothing typed.', '', SHAPES);
  const first = words[0]!.toLowerCase();
  if (first === 'note' || first === 'n') return [noteOf(words, pack, armed)];
  if (first === 'clock') return [clockOf(words)];
  if (first === 'done') return [doneOf(words.slice(1), pack)];
  const pole = /^([+-])(?:ch|chassis|pole)$/.exec(first.replace(/[−–]/, '-'));
  if (pole && words.length > 1) return [poleOf(pole[1] as '+' | '-', words.slice(1).join(' '))];
  const run = placesBetween(words[0]!, pack);
  if (run) return runOf(run, words, pack, usual, bareTemperature);
  const found = findPlace(words[0]!, pack);
  if (!found && looksLikePlace(words[0]!)) {
    const ids = pack.modules.map((m) => m.id);
    throw new InputProblem(
      'place',
      `There is no ${words[0]} in this pack.`,
      '',
      `Modules ${ids[0]} to ${ids[ids.length - 1]}, channels ${pack.channels[0]!.id} to ${pack.channels[pack.channels.length - 1]!.id}.`,
    );
  }
  const place: Place = found ?? armed ?? { kind: 'pack' };
  const rest = words.slice(found ? 1 : 0);
  if (rest.length === 0) return [{ type: 'find', place }];
  return [readingOf(place, rest, pack, usual, bareTemperature)];
}

function noteOf(words: string[], pack: Pack, armed: Place | null): Jot {
  const place = words[1] ? findPlace(words[1], pack) : null;
  const text = words.slice(place ? 2 : 1).join(' ');
  if (text === '')
    throw new InputProblem('note', 'The note has no words.', '', 'note m10 green residue on tap 3');
  return { type: 'note', place: place ?? armed ?? { kind: 'pack' }, text };
}

function doneOf(words: string[], pack: Pack): Jot {
  if (words.length === 0) return { type: 'done', part: null };
  const named = words.join(' ').toLowerCase();
  const parts = buildOf(pack).parts;
  const place = words.length === 1 ? findPlace(words[0]!, pack) : null;
  const at = place ? placeName(place, pack) : '';
  const part = parts.find(
    (p) => p.id.toLowerCase() === named || partName(p).toLowerCase() === named || p.id === at,
  );
  if (!part)
    throw new InputProblem(
      'part',
      `The build of this pack has no ${words.join(' ')}.`,
      '',
      `done, or a part such as done ${parts[0]!.id.toLowerCase()}.`,
    );
  return { type: 'done', part: part.id };
}

function clockOf(words: string[]): Jot {
  const d = DURATION.exec(words[1] ?? '');
  if (!d)
    throw new InputProblem(
      'clock',
      'A clock needs a time.',
      '',
      'clock 45m rest · clock 2h sealant · clock 2d hold test',
    );
  const minutes = Number(d[1]!.replace(',', '.')) * ({ h: 60, d: 1440 }[d[2]!.toLowerCase()] ?? 1);
  if (!(minutes > 0 && minutes <= 60 * 1440))
    throw new InputProblem('clock', `${words[1]} is no time to wait.`, '', 'From one minute to sixty days.');
  return { type: 'clock', minutes, text: words.slice(2).join(' ') };
}

/** What a meter shows from a pole to the chassis. Without the voltage it was taken at it is a hint, never a pass. */
function poleOf(pole: '+' | '-', figure: string): Jot {
  const { value, quantity, bound } = parseFigure(figure);
  if (quantity !== null && quantity !== 'ohms')
    throw new InputProblem(
      'pole',
      `“${figure}” is no resistance to chassis.`,
      '',
      '+ch 23k · -ch OL. Voltages of the poles to chassis are typed under Insulation.',
    );
  inRange('insulation', value, figure, bound);
  askMilliOrMega(value, figure);
  return {
    type: 'reading',
    place: { kind: 'pack' },
    quantity: 'insulation',
    value,
    ...(bound ? { bound } : {}),
    conditions: POLE_CONDITIONS[pole],
  };
}
export const POLE_CONDITIONS = { '+': 'positive to chassis', '-': 'negative to chassis' } as const;

function runOf(
  run: Place[],
  words: string[],
  pack: Pack,
  usual: Quantity,
  bareTemperature: 'C' | 'F',
): Jot[] {
  const named = quantityNamed(words[1]);
  const figures = words.slice(named ? 2 : 1);
  if (figures.length !== run.length)
    throw new InputProblem(
      'count',
      `${words[0]} is ${run.length} places, and ${figures.length} ${figures.length === 1 ? 'figure stands' : 'figures stand'} behind it.`,
      '',
      'One figure for each place; - for one that was left out.',
    );
  return run.flatMap((place, i) =>
    /^[-−–]$/.test(figures[i]!)
      ? []
      : [readingOf(place, [...(named ? [words[1]!] : []), figures[i]!], pack, usual, bareTemperature)],
  );
}

const quantityNamed = (word: string | undefined): Quantity | undefined =>
  (Object.keys(QUANTITIES) as Quantity[]).find((q) =>
    (QUANTITIES[q].words as readonly string[]).includes(word?.toLowerCase() ?? ''),
  );

function inRange(quantity: Quantity, value: number, figure: string, bound?: Bound): void {
  const { least, most, unit } = QUANTITIES[quantity];
  if (bound && quantity !== 'insulation' && quantity !== 'resistance')
    throw new InputProblem('bound', `${figure} is no ${quantity}.`, '', `A figure in ${unit}.`);
  if (bound !== 'over-range' && !(value >= least && value <= most))
    throw new InputProblem('range', `${figure} cannot be a ${quantity}.`, '', `${least} to ${most} ${unit}.`);
}

function readingOf(
  place: Place,
  words: string[],
  pack: Pack,
  usual: Quantity,
  bareTemperature: 'C' | 'F',
): JottedReading {
  const named = quantityNamed(words[0]);
  const figure = words.slice(named ? 1 : 0).join(' ');
  if (figure === '')
    throw new InputProblem(
      'value',
      `${named} of ${placeName(place, pack) || 'the pack'}: the figure is missing.`,
      '',
      SHAPES,
    );
  const ntc = /^(.+?)\s*(?:by\s+)?ntc$/i.exec(figure);
  if (ntc) return ntcOf(place, ntc[1]!, named);
  const { value: bare, quantity: byUnit, bound } = parseFigure(figure);
  const quantity = resolve(named, byUnit, bare, usual);
  const value =
    quantity === 'temperature' && byUnit === null && bareTemperature === 'F' ? (bare - 32) / 1.8 : bare;
  inRange(quantity, value, figure, bound);
  if (quantity === 'insulation') askMilliOrMega(value, figure);
  if (!named && byUnit === null) askIfTwo(place, quantity, value, figure, pack);
  return {
    type: 'reading',
    place,
    quantity,
    value,
    ...(bound ? { bound } : {}),
    conditions:
      quantity === 'voltage' && ['module', 'channel', 'board'].includes(place.kind)
        ? voltageConditions(value, place, pack)
        : '',
  };
}

/** Milliohms of insulation are a dead short that nobody types with three figures: `500m` is most likely meant as 500 MΩ. */
function askMilliOrMega(value: number, figure: string): void {
  const milli = /^([\d.,]+)\s*m$/.exec(figure.trim());
  if (!milli || value >= 1) return;
  throw new InputProblem(
    'prefix',
    `${figure}: milli or mega?`,
    '',
    `${milli[1]}M for megohms; ${milli[1]} mΩ for a dead short.`,
  );
}

function ntcOf(place: Place, figure: string, named: Quantity | undefined): JottedReading {
  const { value: ohm, quantity } = parseFigure(figure);
  if ((named && named !== 'temperature') || (quantity !== null && quantity !== 'ohms'))
    throw new InputProblem(
      'ntc',
      `“${figure} ntc” is no temperature.`,
      '',
      'Ohms of the sensor, such as 6.2k ntc.',
    );
  const { celsius, halfWidthC } = ntcTemperature(ohm);
  return {
    type: 'reading',
    place,
    quantity: 'temperature',
    value: Math.round(celsius * 10) / 10,
    conditions: `by a 10 kΩ NTC at ${printQuantity(ohm, 'resistance')}, ± ${Math.max(0.5, halfWidthC).toFixed(1)} °C for its unknown B`,
  };
}

/** Share of the rated capacity that a bench gives; a figure there that is no healthy voltage may be one. */
const CAPACITY_SHARE = { least: 0.15, most: 1.5 };

/**
 * A bare figure that the place cannot show in health: 3.1 at a stick of twelve cells is a dead stick or a capacity.
 * @throws JotQuestion where it may be either.
 */
function askIfTwo(place: Place, quantity: Quantity, value: number, figure: string, pack: Pack): void {
  if (quantity !== 'voltage' || place.kind === 'joint') return;
  const { perGroup, judged } = voltageAt(value, place, pack);
  const at = placeName(place, pack).toLowerCase();
  const rated = pack.profile.ratedCapacityAh;
  const capacity = value >= rated * CAPACITY_SHARE.least && value <= rated * CAPACITY_SHARE.most;
  if (perGroup || !OUT_OF_BOUNDS.has(judged.state) || !capacity || place.kind === 'pack') return;
  throw new JotQuestion(`${figure} at ${placeName(place, pack)}: volts of it, or ampere-hours?`, [
    ...(judged.state === 'impossible'
      ? []
      : [{ says: `${figure} V: ${judged.state}`, line: `${at} v ${figure}` }]),
    ...(value > 20 && value / 1000 <= possibleV(pack.profile, judged.cells).mostV
      ? [{ says: `${figure} mV`, line: `${at} v ${figure} mV` }]
      : []),
    { says: `${figure} A·h, a capacity`, line: `${at} cap ${figure}` },
  ]);
}

/** Which quantity is meant, from its name, its unit and the usual one; a clash of name and unit is refused. */
function resolve(
  named: Quantity | undefined,
  byUnit: Quantity | 'ohms' | null,
  value: number,
  usual: Quantity,
): Quantity {
  const ohms = (): Quantity => (value >= 1000 ? 'insulation' : 'resistance');
  if (!named)
    return byUnit !== 'ohms'
      ? (byUnit ?? usual)
      : usual === 'insulation' || usual === 'resistance'
        ? usual
        : ohms();
  if (
    byUnit === null ||
    byUnit === named ||
    (byUnit === 'ohms' && (named === 'resistance' || named === 'insulation'))
  )
    return named;
  throw new InputProblem(
    'unit-clash',
    `A ${named} is not given in ${byUnit === 'ohms' ? 'Ω' : QUANTITIES[byUnit].unit}.`,
    '',
    `${QUANTITIES[named].unit}, with a prefix if need be.`,
  );
}

/** Prints a jot so that `parseJot` reads the same back. */
export function printJot(jot: Jot, pack: Pack): string {
  const at = jot.type === 'clock' || jot.type === 'done' ? '' : placeName(jot.place, pack).toLowerCase();
  switch (jot.type) {
    case 'note':
      return ['note', at, jot.text].filter(Boolean).join(' ');
    case 'clock':
      return ['clock', `${jot.minutes}m`, jot.text].filter(Boolean).join(' ');
    case 'find':
      return at;
    case 'done':
      return ['done', jot.part?.toLowerCase()].filter(Boolean).join(' ');
    case 'reading':
      if (jot.conditions === POLE_CONDITIONS['+'] || jot.conditions === POLE_CONDITIONS['-'])
        return `${jot.conditions === POLE_CONDITIONS['+'] ? '+' : '-'}ch ${printQuantity(jot.value, jot.quantity, jot.bound)}`;
      return [at, QUANTITIES[jot.quantity].words[0], printQuantity(jot.value, jot.quantity, jot.bound)]
        .filter(Boolean)
        .join(' ');
  }
}

/** Whether a value stands out from those taken on the same walk (modified z-score beyond 3.5, five values or more). */
export function outOfLine(values: readonly number[], value: number, floor: number): boolean {
  if (values.length < 4) return Math.abs(value - median(values)) > 50 * floor;
  return Math.abs(modifiedZScores([...values, value], floor)[values.length]!) > 3.5;
}
