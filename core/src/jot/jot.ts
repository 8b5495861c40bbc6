import { judgeAt, OUT_OF_BOUNDS, possibleV, type Pack, type VoltageJudged, type VoltagePlace } from '../pack';
import { InputProblem } from '../problem';
import { median, modifiedZScores } from '../spread';
import { parseQuantity, printQuantity, QUANTITIES, type Quantity } from './quantity';

/** Where in the pack something was observed. */
export type Place =
  { kind: 'pack' } | { kind: 'module'; moduleIndex: number } | { kind: 'channel'; channelIndex: number };

/** What a jotted line says. */
export type Jot =
  | { type: 'reading'; place: Place; quantity: Quantity; value: number; conditions: string }
  | { type: 'note'; place: Place; text: string }
  | { type: 'clock'; minutes: number; text: string }
  | { type: 'find'; place: Place };

const SHAPES = 'm07 3.982 · m7 ins 482M · ch18 3.87 V · note m10 green residue · clock 45m rest';

/** Finds a module or channel by its name or number: `m7`, `M07`, `ch18`, `c018`, or a scanned label. */
export function findPlace(word: string, pack: Pack): Place | null {
  const lower = word.toLowerCase();
  const module = pack.modules.find((m) => m.id.toLowerCase() === lower);
  if (module) return { kind: 'module', moduleIndex: module.index };
  const channel = pack.channels.find((c) => c.id.toLowerCase() === lower);
  if (channel) return { kind: 'channel', channelIndex: channel.index };
  const numbered = /^(m|mod|module|s|ch|c|b|channel|group|g)0*(\d{1,4})$/.exec(lower);
  if (!numbered) return null;
  const number = Number(numbered[2]);
  const byNumber = <T extends { id: string }>(items: T[]): T | undefined =>
    items.find((x) => Number(/(\d+)$/.exec(x.id)?.[1] ?? NaN) === number);
  if (/^(m|mod|module|s)$/.test(numbered[1]!)) {
    const m = byNumber(pack.modules);
    return m ? { kind: 'module', moduleIndex: m.index } : null;
  }
  const c = byNumber(pack.channels);
  return c ? { kind: 'channel', channelIndex: c.index } : null;
}

const looksLikePlace = (word: string): boolean =>
  /^(m|mod|module|s|ch|c|b|channel|group|g)\d{1,4}$/i.test(word);

export function placeName(place: Place, pack: Pack): string {
  if (place.kind === 'module') return pack.modules[place.moduleIndex]!.id;
  return place.kind === 'channel' ? pack.channels[place.channelIndex]!.id : '';
}

const voltagePlace = (place: Place): VoltagePlace =>
  place.kind === 'pack'
    ? { kind: 'pack' }
    : place.kind === 'module'
      ? { kind: 'module', index: place.moduleIndex }
      : { kind: 'channel', index: place.channelIndex };

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

/**
 * Reads one jotted line. Without a unit a number is the quantity `usual` for the stage at hand.
 * @throws InputProblem with a hint for what cannot be read or cannot be.
 */
export function parseJot(line: string, pack: Pack, usual: Quantity = 'voltage'): Jot {
  const words = line.trim().split(/\s+/).filter(Boolean);
  if (words.length === 0) throw new InputProblem('empty', 'Nothing typed.', '', SHAPES);
  const first = words[0]!.toLowerCase();
  if (first === 'note' || first === 'n') {
    const place = words[1] ? findPlace(words[1], pack) : null;
    const text = words.slice(place ? 2 : 1).join(' ');
    if (text === '')
      throw new InputProblem('note', 'The note has no words.', '', 'note m10 green residue on tap 3');
    return { type: 'note', place: place ?? { kind: 'pack' }, text };
  }
  if (first === 'clock') {
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
      throw new InputProblem(
        'clock',
        `${words[1]} is no time to wait.`,
        '',
        'From one minute to sixty days.',
      );
    return { type: 'clock', minutes, text: words.slice(2).join(' ') };
  }
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
  const place: Place = found ?? { kind: 'pack' };
  const rest = words.slice(found ? 1 : 0);
  if (rest.length === 0) return { type: 'find', place };
  const named = (Object.keys(QUANTITIES) as Quantity[]).find((q) =>
    (QUANTITIES[q].words as readonly string[]).includes(rest[0]!.toLowerCase()),
  );
  const figure = rest.slice(named ? 1 : 0).join(' ');
  if (figure === '')
    throw new InputProblem(
      'value',
      `${named} of ${placeName(place, pack) || 'the pack'}: the figure is missing.`,
      '',
      SHAPES,
    );
  const { value, quantity: byUnit } = parseQuantity(figure);
  const quantity = resolve(named, byUnit, value, usual);
  const { least, most, unit } = QUANTITIES[quantity];
  if (!(value >= least && value <= most))
    throw new InputProblem('range', `${figure} cannot be a ${quantity}.`, '', `${least} to ${most} ${unit}.`);
  return {
    type: 'reading',
    place,
    quantity,
    value,
    conditions: quantity === 'voltage' && place.kind !== 'pack' ? voltageConditions(value, place, pack) : '',
  };
}

/** Which quantity is meant, from its name, its unit and the usual one; a clash of name and unit is refused. */
function resolve(
  named: Quantity | undefined,
  byUnit: Quantity | 'ohms' | null,
  value: number,
  usual: Quantity,
): Quantity {
  const ohms = (): Quantity => (value >= 1000 ? 'insulation' : 'resistance');
  if (!named) return byUnit === 'ohms' ? (usual === 'insulation' ? 'insulation' : ohms()) : (byUnit ?? usual);
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
  const at = jot.type === 'clock' ? '' : placeName(jot.place, pack).toLowerCase();
  switch (jot.type) {
    case 'note':
      return ['note', at, jot.text].filter(Boolean).join(' ');
    case 'clock':
      return ['clock', `${jot.minutes}m`, jot.text].filter(Boolean).join(' ');
    case 'find':
      return at;
    case 'reading':
      return [at, QUANTITIES[jot.quantity].words[0], printQuantity(jot.value, jot.quantity)]
        .filter(Boolean)
        .join(' ');
  }
}

/** Whether a value stands out from those taken on the same walk (modified z-score beyond 3.5, five values or more). */
export function outOfLine(values: readonly number[], value: number, floor: number): boolean {
  if (values.length < 4) return Math.abs(value - median(values)) > 50 * floor;
  return Math.abs(modifiedZScores([...values, value], floor)[values.length]!) > 3.5;
}
