import { describe, expect, it } from 'vitest';
import { beadGraphiteCase, physicsCase } from '../../simpack';
import { aged, capacityOf, inNegativeAt, newCell, type ParticleCell } from '../../simpack/particle';
import { diagnose } from '../decide/diagnose';
import { gains } from './electrodeLoss';
import { PARAMETERS } from './parameters';
import { heldFromTo, heldText } from '../verdict';

const typical = aged(newCell('nmc', 60), 0.08, 0.05, 0.04);
const capacityAh = capacityOf(typical);

/**
 * Where the electrodes of a cell are against those of the typical one, as a fit says it, from their stoichiometry when full alone: how much sooner
 * the positive one is drawn down, how far the negative one is behind there, and how much sooner it runs empty.
 */
function placed(cell: ParticleCell): Float64Array {
  const filled = (c: ParticleCell): number => inNegativeAt(c, c.fullV) / c.negativeAh;
  const gain = typical.positiveAh / cell.positiveAh - 1;
  const slip = ((filled(typical) - filled(cell)) * typical.negativeAh) / capacityAh;
  const stretch = typical.negativeAh / cell.negativeAh / (1 + gain) - 1;
  const values: Partial<Record<(typeof PARAMETERS)[number], number>> = { capacity: gain, slip, stretch };
  return Float64Array.from(PARAMETERS, (p) => values[p] ?? 0);
}
const lost = (lithium: number, negative: number, positive: number): Float64Array =>
  placed(aged(typical, lithium, negative, positive));
const at = (theta: Float64Array, p: (typeof PARAMETERS)[number]): number => theta[PARAMETERS.indexOf(p)]!;

describe('what no cell gains', () => {
  it('is not seen in cells of particles that have lost lithium or material, whichever and however much', () => {
    for (const size of [0.06, 0.12, 0.2, 0.28])
      for (const [lithium, negative, positive] of [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
        [0, 1, 0.5],
        [0.5, 0.5, 0.25],
        [0.7, 0.3, 0.3],
      ] as const) {
        const theta = lost(size * lithium, size * negative, size * positive);
        expect(gains({ theta }), `${size} ${lithium} ${negative} ${positive}`).toBe(false);
      }
  });

  it('is not a negative electrode that is fuller because it has become smaller', () => {
    // The lithium of what is lost of its material stays in the cell.
    const smaller = { ...typical, negativeAh: 0.85 * typical.negativeAh };
    const theta = placed(smaller);
    expect(at(theta, 'slip')).toBeLessThan(-0.05);
    expect(gains({ theta })).toBe(false);
  });

  it('is seen where there is more of any of them than in the others', () => {
    expect(gains({ theta: lost(-0.12, 0, 0) })).toBe(true);
    expect(gains({ theta: placed({ ...typical, negativeAh: 1.12 * typical.negativeAh }) })).toBe(true);
    expect(gains({ theta: placed({ ...typical, positiveAh: 1.12 * typical.positiveAh }) })).toBe(true);
    // By no more than cells differ by.
    expect(gains({ theta: lost(-0.02, 0, 0) })).toBe(false);
  });
});

describe('a loss in packs of particles that were told healthy', () => {
  it.each([
    ['a graphite that is known', physicsCase, 60528],
    ['a graphite that is not', beadGraphiteCase, 60023],
    ['a graphite that is not, and hardly a gap', beadGraphiteCase, 60318],
  ])('is told, and no closer than its electrodes are known: %s', (_name, make, seed) => {
    const { pack, record, faults } = make(seed)!;
    const { findings } = diagnose(record, pack);
    expect(findings.map((f) => [f.channel, f.verdict])).toEqual([
      [pack.channels[faults[0]!.channelIndex]!.id, 'low-capacity'],
    ]);
    const { estimate, reasons, confidence } = findings[0]!;
    const held = faults[0]!.size!;
    expect(Math.abs(estimate.capacityRatio! - held)).toBeLessThan(2 * estimate.capacityRatioSd!);
    expect(confidence).toBeGreaterThanOrEqual(0.5);
    const rough = heldFromTo(estimate);
    if (make === physicsCase) return;
    expect(rough!.from).toBeLessThan(held);
    expect(rough!.to).toBeLessThanOrEqual(1);
    expect(reasons.join(' ')).toMatch(/ to .* % of what the others hold; the record tells it no closer/);
  });

  it('is told as a figure where something is lost for certain, or its size is known to a few per cent', () => {
    expect(heldFromTo({ capacityRatio: 0.86, capacityRatioSd: 0.04 })).toBeNull();
    expect(heldFromTo({ capacityRatio: 0.95, capacityRatioSd: 0.02 })).toBeNull();
    expect(heldFromTo({})).toBeNull();
    expect(heldText({ value: 0.862, sd: 0.04 }, 1)).toBe('86.2 %');
    expect(heldText({ value: 0.96, sd: 0.05 })).toBe('86 to 100 %');
    expect(heldFromTo({ capacityRatio: 0.96, capacityRatioSd: 0.05 })).toEqual({ from: 0.86, to: 1 });
  });
});
