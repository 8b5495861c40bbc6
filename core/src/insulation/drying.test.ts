import { describe, expect, it } from 'vitest';
import { dryingOf } from './drying';

const reading = (hour: number, ohm: number, temperatureC: number | null = 40) => ({
  at: new Date(Date.parse('2026-05-04T08:00:00Z') + hour * 3_600_000).toISOString(),
  ohm,
  temperatureC,
});

// That drying ends where insulation stays steady for hours at a known temperature is common practice of the trade, no source.
describe('drying', () => {
  it('goes on while the insulation rises, and ends once it stays for hours', () => {
    const rising = [reading(0, 4e6), reading(3, 40e6), reading(6, 220e6)];
    expect(dryingOf(rising, 20e6)).toMatchObject({ steady: false });
    expect(dryingOf(rising, 20e6).says).toMatch(/^220 MΩ at 40 °C, 40 MΩ before it: it still rises/);
    const steady = [...rising, reading(9, 470e6), reading(11, 482e6), reading(12, 480e6)];
    expect(dryingOf(steady, 20e6)).toMatchObject({
      steady: true,
      says: '480 MΩ at 40 °C for 3 h, within 10 %: it rises no more. Wet it again and test.',
    });
    expect(dryingOf(steady.slice(0, -1), 20e6).steady).toBe(false);
  });

  it('is not taken for cooling: insulation halves for every 10 °C (IEEE 43)', () => {
    // The same insulation at 60, 50 and 40 °C.
    const cooling = [reading(0, 1e8, 60), reading(1.5, 2e8, 50), reading(3, 4e8, 40)];
    expect(dryingOf(cooling, 20e6).at40C.map((r) => Math.round(r.ohm / 1e6))).toEqual([400, 400, 400]);
    expect(dryingOf(cooling, 20e6).steady).toBe(true);
  });

  it('that ends below the limit is told: drying does not mend it', () => {
    const low = [reading(0, 1e5), reading(2, 1.02e5), reading(4, 1e5)];
    expect(dryingOf(low, 20e6).says).toMatch(
      /below the 20 MΩ it needs: it rises no more, drying does not mend it/,
    );
  });

  it('says nothing without a temperature', () => {
    expect(dryingOf([reading(0, 1e9, null)], 20e6).says).toMatch(/^No insulation at a known temperature/);
  });
});
