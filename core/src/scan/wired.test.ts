import { describe, expect, it } from 'vitest';
import { checkProfile, type PackProfile } from '../pack';
import { asWired, namesInScans, rewired, wiring, type ScanRecord } from '.';

const profile: PackProfile = {
  name: 'Four in a row',
  chemistry: 'nmc',
  ratedCapacityAh: 40,
  channels: ['a', 'b', 'c', 'd'].map((id) => ({ id, cells: 1 })),
  modules: [
    { id: 'M1', channels: ['a', 'b'] },
    { id: 'M2', channels: ['c', 'd'] },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: [
    [0, 3],
    [1, 4.2],
  ],
};
const record: ScanRecord = {
  channelIds: ['a', 'b', 'c', 'd'],
  voltageV: [3.1, 3.2, 3.3, 3.4].map((v) => ({
    timeS: new Float64Array([0]),
    value: new Float64Array([v]),
  })),
  currentA: null,
  temperatureC: null,
  reportedSocFraction: null,
  simultaneous: true,
  notices: [],
};
const volts = (p: PackProfile): number[] => asWired(record, p).voltageV.map((s) => s.value[0]!);
const cycle = [
  { channelIndex: 0, shows: 1 },
  { channelIndex: 1, shows: 2 },
  { channelIndex: 2, shows: 0 },
];

describe('sense wires that are laid in another order than the places', () => {
  it('put each voltage of a scan at the place where it was measured', () => {
    expect(wiring(profile)).toBeNull();
    expect(asWired(record, profile)).toBe(record);
    const now = rewired(profile, cycle);
    expect(namesInScans(now)).toEqual(['b', 'c', 'a', 'd']);
    expect(volts(now)).toEqual([3.2, 3.3, 3.1, 3.4]);
    expect(now.modules).toBe(profile.modules);
  });
  it('corrected again are corrected from where they are, and back to as drawn leaves nothing behind', () => {
    const twice = rewired(rewired(profile, cycle), cycle);
    expect(volts(twice)).toEqual([3.3, 3.1, 3.2, 3.4]);
    expect(rewired(twice, cycle)).toEqual(profile);
  });
  it('give every place under one name, and every name once, of as many cells', () => {
    const faults = (channels: PackProfile['channels']): string[] =>
      checkProfile({ ...profile, channels })
        .faults.filter((f) => f.level === 'error')
        .map((f) => f.what);
    const named = (names: (string | undefined)[], cells = [1, 1, 1, 1]): PackProfile['channels'] =>
      profile.channels.map(({ id }, i) => ({ id, cells: cells[i]!, reportedAs: names[i] }));
    expect(faults(named(['b', 'a', undefined, undefined]))).toEqual([]);
    expect(faults(named(['b', undefined, undefined, undefined]))).toEqual([
      'Scans give a and b under the same name, b.',
    ]);
    expect(faults(named(['x', undefined, undefined, undefined]))[0]).toMatch(
      /under x, which the pack does not/,
    );
    expect(faults(named(['b', 'a', undefined, undefined], [1, 2, 1, 1]))[0]).toMatch(/1 cells, b .* 2/);
  });
});
