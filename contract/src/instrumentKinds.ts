// Kinds and drivers of instruments as data: what pages need of them, without any schema.

/** What an instrument does for the workshop. */
export const INSTRUMENT_KINDS = [
  'insulation-tester',
  'charger',
  'supply',
  'load',
  'meter',
  'logger',
  'relay',
  'thermometer',
] as const;
export type InstrumentKind = (typeof INSTRUMENT_KINDS)[number];
/** Drivers that the app knows, as a workshop picks from them; `devices/src/drivers` has one for each. */
const TESTER_NAMES = {
  'scpi-insulation-tester': 'Insulation tester, SCPI over TCP',
} as const;
const BENCH_NAMES = {
  'scpi-charger': 'Charger and load in one, SCPI over TCP',
  'scpi-supply': 'Power supply, SCPI over TCP',
  'scpi-load': 'Electronic load, SCPI over TCP',
  'scpi-meter': 'Meter, SCPI over TCP',
  'scpi-logger': 'Logger with a shunt, SCPI over TCP',
  'scpi-relay': 'Relay before a resistor bank, SCPI over TCP',
} as const;
const READER_NAMES = { 'scpi-thermometer': 'Thermometer, SCPI over TCP' } as const;
export const DRIVER_NAMES = { ...TESTER_NAMES, ...BENCH_NAMES, ...READER_NAMES };
export type TesterDriverId = keyof typeof TESTER_NAMES;
export type BenchDriverId = keyof typeof BENCH_NAMES;
export type ReaderDriverId = keyof typeof READER_NAMES;
export type DriverId = keyof typeof DRIVER_NAMES;
export const DRIVER_IDS = Object.keys(DRIVER_NAMES) as [DriverId, ...DriverId[]];
const BENCH_KINDS: Record<BenchDriverId, InstrumentKind> = {
  'scpi-charger': 'charger',
  'scpi-supply': 'supply',
  'scpi-load': 'load',
  'scpi-meter': 'meter',
  'scpi-logger': 'logger',
  'scpi-relay': 'relay',
};
/** What an instrument of a driver is for. */
export const kindOf = (driver: DriverId): InstrumentKind =>
  isBenchDriver(driver)
    ? BENCH_KINDS[driver]
    : driver === 'scpi-thermometer'
      ? 'thermometer'
      : 'insulation-tester';
/** What reads for another: a relay reads nothing itself, and not every charger has a sensor. */
export const READERS: readonly InstrumentKind[] = ['logger', 'meter', 'thermometer'];
/** What only reads puts nothing out and passes nothing. */
export const onlyReads = (kind: InstrumentKind): boolean => READERS.includes(kind);
/** What an instrument of a kind does to a module. */
export const abilities = (kind: InstrumentKind): { charges: boolean; discharges: boolean } => ({
  charges: kind === 'charger' || kind === 'supply',
  discharges: kind === 'charger' || kind === 'load' || kind === 'relay',
});
export const isTester = (driver: DriverId): driver is TesterDriverId => driver in TESTER_NAMES;
export const isBenchDriver = (driver: DriverId): driver is BenchDriverId => driver in BENCH_NAMES;
