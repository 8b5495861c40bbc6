import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, ocvCurve } from '../../pack';
import { readScanCsv } from '../../scan';
import { spreadReport } from '../report/report';

// What is checked against: the sum of a series circuit's voltages is the voltage across it (Kirchhoff's voltage law).

const CELLS = 96;
const pack = normalisePack({
  name: 'p',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: CELLS }, (_, i) => ({ id: `ch${i + 1}`, cells: 1 })),
  modules: Array.from({ length: 24 }, (_, m) => ({
    id: `M${String(m + 1).padStart(2, '0')}`,
    channels: Array.from({ length: 4 }, (_, k) => `ch${4 * m + k + 1}`),
  })),
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const curve = ocvCurve(pack.profile.ocv);

interface Screen {
  /** Volts that some channels show, by index; and what they truly have, where that is another. */
  shows: Record<number, number>;
  truly?: Record<number, number>;
  /** What the pack's own sensor adds, V. */
  packErrorV?: number;
  socPct?: number;
}
const report = ({ shows, truly = {}, packErrorV = 0, socPct }: Screen) => {
  const restV = curve.voltageAt(0.62);
  const healthy = Array.from({ length: CELLS }, (_, i) => restV + 0.001 * (((7 * i) % 5) - 2));
  const channels = healthy.map((v, i) => shows[i] ?? v);
  const packV = healthy.map((v, i) => truly[i] ?? shows[i] ?? v).reduce((a, b) => a + b, 0) + packErrorV;
  const heading = [
    'time_s',
    'current_A',
    'pack_V',
    ...(socPct ? ['soc_pct'] : []),
    ...pack.channels.map((c) => `${c.id}_V`),
  ];
  const rows = [0, 1, 2, 3].map((t) =>
    [t, 0, packV.toFixed(1), ...(socPct ? [socPct] : []), ...channels.map((v) => v.toFixed(3))].join(','),
  );
  return spreadReport(readScanCsv([heading.join(','), ...rows].join('\n'), pack), pack);
};
const healthyV = curve.voltageAt(0.62);

describe('the pack’s own voltage against the sum of its channels', () => {
  it('a channel at 1.5 V that the pack does not miss is a reading; one that it misses is not', () => {
    const board = report({ shows: { 40: 1.5 }, truly: { 40: healthyV } });
    expect(board.total!.missesV).toBeCloseTo(healthyV - 1.5, 1);
    const [f] = board.findings;
    expect(f!.channel).toBe('ch41');
    const sense =
      f!.verdict === 'sense-fault'
        ? f!.confidence
        : f!.alternatives.find((a) => a.verdict === 'sense-fault')!.confidence;
    expect(sense).toBeGreaterThan(0.8);
    expect(board.contradicts!.join(' ')).toContain('add up to');
    const cell = report({ shows: { 40: 1.5 } });
    expect(cell.findings[0]!.verdict).toBe('dead');
    expect(cell.findings[0]!.confidence).toBeGreaterThan(0.95);
    expect(cell.contradicts).toEqual([]);
  });

  it('of two odd channels the pack tells which one’s reading is wrong, by their gaps', () => {
    const two = report({ shows: { 10: 1.2, 60: healthyV - 1.1 }, truly: { 60: healthyV } });
    const share = (id: string) => {
      const f = two.findings.find((k) => k.channel === id)!;
      return f.verdict === 'sense-fault'
        ? f.confidence
        : (f.alternatives.find((a) => a.verdict === 'sense-fault')?.confidence ?? 0);
    };
    expect(share('ch61')).toBeGreaterThan(share('ch11') + 0.3);
  });

  it('says nothing of a gap within its own error, nor of the small battery', () => {
    const small = report({ shows: { 40: healthyV - 0.1 } });
    expect(small.findings[0]!.reasons.join(' ')).not.toContain('add up to');
    expect(report({ shows: {}, packErrorV: -healthyV * CELLS + 12.6 }).total).toBeUndefined();
  });

  it('that misses what no channel lacks is told, and accuses none', () => {
    const off = report({ shows: {}, packErrorV: 9 });
    expect(off.findings).toEqual([]);
    expect(off.contradicts![0]).toContain('meter the pack');
  });

  it('charge shown that the cells do not bear out is told', () => {
    expect(report({ shows: {}, socPct: 62 }).contradicts).toEqual([]);
    expect(report({ shows: {}, socPct: 94 }).contradicts![0]).toContain(
      'shows 94 % of charge; by their rest voltage the cells stand at 62 %',
    );
  });
});

describe('one reading beside the pack’s own voltage', () => {
  it('a volt low: the share of a wrong reading follows the total', () => {
    const shows = { 40: healthyV - 0.95 };
    const share = (r: ReturnType<typeof report>) =>
      r.findings[0]!.verdict === 'sense-fault'
        ? r.findings[0]!.confidence
        : (r.findings[0]!.alternatives.find((a) => a.verdict === 'sense-fault')?.confidence ?? 0);
    const lacking = report({ shows });
    const there = report({ shows, truly: { 40: healthyV } });
    expect(share(there)).toBeGreaterThan(2 * share(lacking));
    expect(lacking.findings[0]!.films).toBeDefined();
  });
});
