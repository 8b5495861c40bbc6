import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, type PackProfile } from '../../pack';
import { spreadAt } from '..';

const profile: PackProfile = {
  name: 'six groups',
  chemistry: 'nmc',
  ratedCapacityAh: 65,
  channels: Array.from({ length: 6 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: [{ id: 'M1', channels: ['c1', 'c2', 'c3', 'c4', 'c5', 'c6'] }],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
};
const at = (voltageV: number[]): ReturnType<typeof spreadAt> =>
  spreadAt({ timeS: 0, restedS: 900, voltageV, temperatureC: 22, drawnAh: 0 }, normalisePack(profile));

describe('spread at rest', () => {
  it('tells a group at 3.80 V among others at 4.03 V to be 10 to 20 A·h low on a 65 A·h pack', () => {
    // Common practice, no source: this gap on such a group took 10 to 20 A·h to close.
    const s = at([4.03, 4.031, 3.8, 4.029, 4.03, 4.03]);
    const low = s.channels[2]!;
    expect(low.odd).toBe(true);
    expect(low.deltaAh).toBeLessThan(-10);
    expect(low.deltaAh).toBeGreaterThan(-20);
    expect(s.deltaMv).toBeCloseTo(231, 6);
    expect(s.grade).toBe('blocks-drive');
  });

  it('calls 8 mV excellent and flags no group of an even pack', () => {
    const s = at([4.03, 4.031, 4.028, 4.029, 4.033, 4.025]);
    expect(s.grade).toBe('excellent');
    expect(s.channels.some((c) => c.odd)).toBe(false);
  });

  it('says so where the curve is too flat to tell charge from volts', () => {
    const lfp = normalisePack({ ...profile, chemistry: 'lfp', ocv: defaultOcvTable('lfp') });
    const point = { timeS: 0, restedS: 900, temperatureC: 22, drawnAh: 0 };
    expect(spreadAt({ ...point, voltageV: [3.293, 3.294, 3.293, 3.292, 3.293, 3.293] }, lfp).onPlateau).toBe(
      true,
    );
    expect(spreadAt({ ...point, voltageV: [3.1, 3.11, 3.1, 3.09, 3.1, 3.1] }, lfp).onPlateau).toBe(false);
  });
});
