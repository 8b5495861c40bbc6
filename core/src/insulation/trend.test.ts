import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { Random } from '../simpack';
import { insulationReport } from './report';
import type { InsulationObservation } from './types';
import { vehicleTrend, type VehicleReading } from './trend';

const pack = normalisePack(pilotCar());
const START = Date.parse('2026-03-01T08:00:00Z');
const reading = (day: number, ohm: number, more: Partial<VehicleReading> = {}): VehicleReading => ({
  at: new Date(START + day * 86_400_000).toISOString(),
  ohm,
  wetted: false,
  ...more,
});

/** Slope of ln(R) a day, its two-sided 90 % interval, and where the line meets ln(50 kΩ), by scipy. */
function byScipy(days: number[], ohms: number[]): { slope: number; half: number; meets: number } {
  const code = `
import json, sys, math
from scipy import stats
d, r = json.loads(sys.argv[1])
f = stats.linregress(d, [math.log(x) for x in r])
t = stats.t.ppf(0.95, len(d) - 2)
print(json.dumps([f.slope, t * f.stderr, (math.log(50e3) - f.intercept) / f.slope]))`;
  const out = execFileSync('python3', ['-c', code, JSON.stringify([days, ohms])]).toString();
  const [slope, half, meets] = JSON.parse(out) as [number, number, number];
  return { slope, half, meets };
}

describe('the vehicle’s own figure over time', () => {
  const days = [0, 6, 13, 20, 26, 33, 40];
  const ohms = [410e3, 372e3, 345e3, 300e3, 292e3, 251e3, 236e3];

  it('falls as scipy’s regression of its logarithm says, and reaches the limit on that day', () => {
    const trend = vehicleTrend(
      days.map((d, i) => reading(d, ohms[i]!)),
      pack,
    )!;
    const { slope, half, meets } = byScipy(days, ohms);
    expect(trend.perMonth.value).toBeCloseTo(Math.exp(30 * slope), 6);
    expect(trend.perMonth.low).toBeCloseTo(Math.exp(30 * (slope - half)), 3);
    expect(trend.perMonth.high).toBeCloseTo(Math.exp(30 * (slope + half)), 3);
    const day = (Date.parse(trend.stopsAt!.value!) - START) / 86_400_000;
    expect(Math.abs(day - meets)).toBeLessThanOrEqual(1);
    expect(trend.stopsAt!.early < trend.stopsAt!.value!).toBe(true);
    expect(trend.says).toMatch(/^Falls by 3\d % a month/);
  });

  it('leaves out rain, the other pole, and what is of one moment', () => {
    const dry = days.map((d, i) => reading(d, ohms[i]!, { pole: 'negative' }));
    const rain = [reading(10, 60e3, { wetted: true }), reading(11, 900e3, { pole: 'positive' })];
    expect(vehicleTrend([...rain, ...dry], pack)).toEqual(vehicleTrend(dry, pack));
    expect(vehicleTrend(dry.slice(0, 3), pack)).toBeNull();
    expect(
      vehicleTrend(
        [0, 0.1, 0.2, 0.3].map((d) => reading(d, 3e5)),
        pack,
      ),
    ).toBeNull();
    const level = vehicleTrend(
      [0, 10, 20, 30].map((d, i) => reading(d, [300e3, 310e3, 296e3, 304e3][i]!)),
      pack,
    )!;
    expect(level).toMatchObject({ stopsAt: null, says: 'Neither falls nor rises beyond its scatter.' });
  });

  it('holds the day on which it stops in nine cases of ten', () => {
    const random = new Random(11);
    let [held, told] = [0, 0];
    for (let k = 0; k < 600; k++) {
      const [from, perDay] = [random.uniform(3e5, 9e5), random.uniform(0.008, 0.03)];
      const noise = random.uniform(0.02, 0.1);
      const count = Math.floor(random.uniform(5, 12));
      const at = Array.from({ length: count }, (_, i) => i * 5);
      const trend = vehicleTrend(
        at.map((d) => reading(d, from * Math.exp(-perDay * d + random.normal(0, noise)))),
        pack,
      );
      if (!trend?.stopsAt) continue;
      // The day on which a reading of then would show the limit.
      const stops = Math.log(from / 50e3) / perDay + random.normal(0, noise) / perDay;
      const day = (iso: string): number => (Date.parse(iso) - START) / 86_400_000;
      told++;
      if (stops >= day(trend.stopsAt.early) - 1 && (!trend.stopsAt.late || stops <= day(trend.stopsAt.late)))
        held++;
    }
    expect(told).toBeGreaterThan(300);
    expect(held / told).toBeGreaterThanOrEqual(0.88);
  });

  it('one that was read earlier and written down later is not what it shows now', () => {
    const shown = (ohm: number, readAt?: string, after?: 'rain'): InsulationObservation => ({
      kind: 'vehicle',
      ohm,
      signalV: null,
      ...(readAt && { readAt }),
      ...(after && { after }),
    });
    const now = (...o: InsulationObservation[]) =>
      insulationReport(pack, o, { moduleV: pack.modules.map(() => 29) }).vehicle!.state;
    expect(now(shown(300e3, '2026-03-09T08:00:00Z'), shown(40e3, '2026-03-02T08:00:00Z'))).toBe('good');
    expect(now(shown(300e3), shown(40e3, '2026-03-02T08:00:00Z'))).toBe('good');
    expect(now(shown(300e3, '2026-03-02T08:00:00Z'), shown(40e3))).toBe('stops');
  });
});
