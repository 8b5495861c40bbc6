import { describe, expect, it } from 'vitest';
import { defaultOcvTable, measured, normalisePack, notMeasured, valueOf } from '../pack';
import { rankDonors, type DonorModule, type PackNeed } from '.';

const pack = normalisePack({
  name: 'van',
  chemistry: 'nmc',
  ratedCapacityAh: 117,
  channels: Array.from({ length: 8 }, (_, i) => ({ id: `c${i}`, cells: 1 })),
  modules: [
    { id: 'A', channels: ['c0', 'c1', 'c2', 'c3'] },
    { id: 'B', channels: ['c4', 'c5', 'c6', 'c7'] },
  ],
  nominalGroupResistanceMilliohm: 0.6,
  ocv: defaultOcvTable('nmc'),
});
const need: PackNeed = {
  chemistry: 'nmc',
  groupCount: 4,
  revision: 'C2',
  staying: [104, 105, 106, 107].map((capacityAh) => ({ capacityAh, socFraction: 0.5 })),
  typicalCapacityAh: measured(105, 1, 'a drive'),
  resistanceMilliohm: measured(0.62, 0.01, 'a drive'),
  socFraction: 0.5,
  temperatureC: 21,
};
const donor = (id: string, more: Partial<DonorModule>): DonorModule => ({
  id,
  label: id,
  chemistry: 'nmc',
  groupCount: 4,
  revision: 'C2',
  capacityAh: 105,
  resistanceMilliohm: 0.62,
  restVoltageV: 14.8,
  temperatureC: 21,
  origin: '',
  ...more,
});

describe('matching a donor to the rest of the pack', () => {
  it('prefers a similarly worn donor to a new one, and both to a weaker one', () => {
    // Common practice, no source: a similarly worn donor beats a new one for balance.
    const ranked = rankDonors(
      [
        donor('new', { capacityAh: 117 }),
        donor('weak', { capacityAh: 97 }),
        donor('twin', { capacityAh: 106 }),
      ],
      need,
      pack,
    );
    expect(ranked.map((r) => r.donor.id)).toEqual(['twin', 'new', 'weak']);
  });

  it('shows that a new donor restores no more than a worn twin: the pack is as strong as its weakest group', () => {
    const [a, b] = rankDonors(
      [donor('new', { capacityAh: 117 }), donor('twin', { capacityAh: 106 })],
      need,
      pack,
    );
    expect(valueOf(a!.usableAh)).toBe(104);
    expect(valueOf(b!.usableAh)).toBe(104);
    expect(valueOf(rankDonors([donor('weak', { capacityAh: 97 })], need, pack)[0]!.usableAh)).toBe(97);
  });

  it('puts what cannot be fitted last and says why', () => {
    const rows = rankDonors(
      [
        donor('lfp', { chemistry: 'lfp' }),
        donor('old', { revision: 'C1' }),
        donor('short', { groupCount: 3 }),
        donor('leaky', { insulationOhm: 4e6 }),
        donor('flat', { restVoltageV: 6.4 }),
        donor('poor', { capacityAh: 60, resistanceMilliohm: 2 }),
      ],
      need,
      pack,
    );
    expect(rows[0]!.donor.id).toBe('poor');
    expect(rows.slice(1).every((r) => !r.fits && r.obstacles.length > 0)).toBe(true);
    expect(rows.find((r) => r.donor.id === 'flat')!.obstacles[0]).toMatch(/over-discharged/);
  });

  it('says nothing of capacity or of the pack with it in where nobody measured the rest', () => {
    const open = { ...need, typicalCapacityAh: notMeasured('no current', 'a drive') };
    const [row] = rankDonors([donor('twin', {})], open, pack);
    expect(row).toMatchObject({ fits: true, capacityDeviation: null, usableAh: { measured: false } });
    expect(row!.remarks.join(' ')).toMatch(/not measured/);
  });
});
