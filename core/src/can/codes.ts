import { InputProblem } from '../problem';

/** Status bits of a trouble code, ISO 14229-1 (DTC status byte), from bit 0 up. */
export const STATUS_BITS = [
  'test failed',
  'failed this cycle',
  'pending',
  'confirmed',
  'not completed since clear',
  'failed since clear',
  'not completed this cycle',
  'warning lamp on',
] as const;
export const statusWords = (status: number): string[] => STATUS_BITS.filter((_, i) => status & (1 << i));

const LETTERS = ['P', 'C', 'B', 'U'];

/**
 * Prints a trouble code of two bytes, or of three with its failure type, as SAE J2012 writes it:
 * 0x0A 0xA6 → `P0AA6`, with a third byte 0x1A → `P0AA6-1A`.
 */
export function printCode(bytes: Uint8Array): string {
  if (bytes.length !== 2 && bytes.length !== 3)
    throw new InputProblem(
      'code-length',
      `A trouble code of ${bytes.length} bytes.`,
      '',
      'Two or three bytes.',
    );
  const [high, low, type] = [bytes[0]!, bytes[1]!, bytes[2]];
  const hex = (v: number, n: number): string => v.toString(16).toUpperCase().padStart(n, '0');
  return `${LETTERS[high >> 6]}${(high >> 4) & 3}${hex(high & 0x0f, 1)}${hex(low, 2)}${type === undefined ? '' : `-${hex(type, 2)}`}`;
}

/** Reads a code as it is printed or typed: `P0AA6`, `p0aa6-1a`, `U0293 00`. @throws InputProblem */
export function parseCode(text: string): Uint8Array {
  const m = /^\s*([PCBU])([0-3])([0-9A-F])([0-9A-F]{2})(?:[-: ]?([0-9A-F]{2}))?\s*$/i.exec(text);
  if (!m)
    throw new InputProblem(
      'code',
      `“${text.slice(0, 20)}” is not a trouble code.`,
      '',
      'A letter P, C, B or U with four digits, such as P0AA6, and two more for the failure type.',
    );
  const high = (LETTERS.indexOf(m[1]!.toUpperCase()) << 6) | (Number(m[2]) << 4) | parseInt(m[3]!, 16);
  const low = parseInt(m[4]!, 16);
  return Uint8Array.from(m[5] === undefined ? [high, low] : [high, low, parseInt(m[5], 16)]);
}

/** What a generic high-voltage code is about, in our own words. Assignments are from memory of SAE J2012. */
export interface CodeEntry {
  code: string;
  about:
    | 'isolation'
    | 'cell voltage'
    | 'pack variation'
    | 'contactor'
    | 'pre-charge'
    | 'interlock'
    | 'current sensor'
    | 'temperature'
    | 'control module'
    | 'capacity';
  meaning: string;
  severity: 'stop' | 'soon' | 'note';
  test: string;
  notYet: string;
}
const ISOLATION = {
  about: 'isolation',
  severity: 'stop',
  test: 'Measure both poles to chassis, pack side and vehicle side apart, then split the string.',
  notYet: 'the control module: it reports the leak, it rarely is the leak',
} as const;
export const CODES: CodeEntry[] = [
  { code: 'P0AA6', ...ISOLATION, meaning: 'High voltage reaches the chassis.' },
  { code: 'P0AA7', ...ISOLATION, meaning: 'The isolation sensor or its circuit is implausible.' },
  {
    code: 'P0A7F',
    about: 'capacity',
    severity: 'soon',
    meaning: 'The pack holds too little or resists too much.',
    test: 'Scan near full and near empty; find the weakest groups.',
    notYet: 'the whole pack, before one module is ruled out',
  },
  {
    code: 'P0A80',
    about: 'capacity',
    severity: 'soon',
    meaning: 'The vehicle judges the pack worn or a block weak.',
    test: 'Compare blocks under load and after standing.',
    notYet: 'the whole pack, before the blocks are compared',
  },
  {
    code: 'P0A7D',
    about: 'cell voltage',
    severity: 'soon',
    meaning: 'State of charge is too low.',
    test: 'Look for one dead group, a drain at rest and a charger that never ran.',
    notYet: 'the pack, before it was charged under watch',
  },
  {
    code: 'P0B3B',
    about: 'cell voltage',
    severity: 'soon',
    meaning: 'A voltage sense circuit is implausible.',
    test: 'Meter the named group at its terminals against the scan.',
    notYet: 'the module: the wire or board may be wrong',
  },
  {
    code: 'P0A7E',
    about: 'temperature',
    severity: 'stop',
    meaning: 'The pack is too hot.',
    test: 'Fan, duct and filter, then resistance of the hottest module.',
    notYet: 'the temperature sensor, before the fan was seen to run',
  },
  {
    code: 'P0A9C',
    about: 'temperature',
    severity: 'soon',
    meaning: 'A pack temperature sensor is implausible.',
    test: 'Compare its resistance with the neighbours at the same temperature.',
    notYet: 'the sense board',
  },
  {
    code: 'P0AA1',
    about: 'contactor',
    severity: 'stop',
    meaning: 'The positive contactor is stuck closed.',
    test: 'Prove absence of voltage behind it before anything is touched.',
    notYet: 'anything: treat the output as live',
  },
  {
    code: 'P0AA4',
    about: 'contactor',
    severity: 'stop',
    meaning: 'The negative contactor is stuck closed.',
    test: 'Prove absence of voltage behind it before anything is touched.',
    notYet: 'anything: treat the output as live',
  },
  {
    code: 'P0A94',
    about: 'pre-charge',
    severity: 'soon',
    meaning: 'The converter supply is out of range.',
    test: 'Watch the pre-charge voltage rise and compare with the computed curve.',
    notYet: 'the 12 V battery: it is often the result',
  },
  {
    code: 'P0C78',
    about: 'pre-charge',
    severity: 'soon',
    meaning: 'Pre-charge took too long.',
    test: 'Pre-charge resistor and load on the bus; insulation of the vehicle side.',
    notYet: 'the contactors, before the resistor was measured',
  },
  {
    code: 'P0A0D',
    about: 'interlock',
    severity: 'stop',
    meaning: 'The high-voltage interlock loop is open.',
    test: 'Covers, service disconnect and connectors pushed to their second stage.',
    notYet: 'the control module; never bridge the loop',
  },
  {
    code: 'P0ABF',
    about: 'current sensor',
    severity: 'soon',
    meaning: 'The pack current sensor circuit is faulty.',
    test: 'Zero reading at rest and comparison with a clamp.',
    notYet: 'the pack',
  },
  {
    code: 'P0A1F',
    about: 'control module',
    severity: 'soon',
    meaning: 'The battery control module reports a fault of its own.',
    test: 'Its supply and grounds, then the other stored codes.',
    notYet: 'the module itself, while an isolation or cell code is stored',
  },
];

/** The catalogue entry of a code; unknown maker codes keep the user's own text instead. */
export const lookUpCode = (code: string): CodeEntry | null =>
  CODES.find((c) => c.code === code.slice(0, 5).toUpperCase()) ?? null;
