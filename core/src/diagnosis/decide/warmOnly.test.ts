import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, ocvCurve, type Chemistry } from '../../pack';
import { joinRecords, type ScanRecord } from '../../scan';
import { spreadReport } from '../report/report';

// Resistance of a cell falls with warmth (Arrhenius): what shows warm alone is no such resistance. Records as somebody types them: one moment each.

const packOf = (chemistry: Chemistry) => {
  const [count, cells] = chemistry === 'nimh' ? [20, 12] : [40, 1];
  const channels = Array.from({ length: count }, (_, i) => ({ id: `B${i + 1}`, cells }));
  return normalisePack({
    name: 'p',
    chemistry,
    ratedCapacityAh: chemistry === 'nimh' ? 6.5 : 40,
    channels,
    modules: Array.from({ length: count / 2 }, (_, m) => ({
      id: `M${m + 1}`,
      channels: [`B${2 * m + 1}`, `B${2 * m + 2}`],
    })),
    nominalGroupResistanceMilliohm: chemistry === 'nimh' ? 20 : 1.5,
    ocv: defaultOcvTable(chemistry),
  });
};
type Pack = ReturnType<typeof packOf>;

/** Every block alike within 2 mV, block 8 lower by `lacksV`. */
function moment(pack: Pack, currentA: number, temperatureC: number, lacksV: number): ScanRecord {
  const curve = ocvCurve(pack.profile.ocv);
  const ohm = (pack.profile.nominalGroupResistanceMilliohm / 1000) * (1 - 0.01 * (temperatureC - 22));
  const of = (v: number) => ({ timeS: Float64Array.of(0), value: Float64Array.of(Number(v.toFixed(3))) });
  return {
    channelIds: pack.channels.map((c) => c.id),
    simultaneous: true,
    voltageV: pack.channels.map((c, i) =>
      of(
        c.cells * curve.voltageAt(0.6) -
          currentA * ohm +
          0.001 * (((i * 7) % 5) - 2) -
          (i === 7 ? lacksV : 0),
      ),
    ),
    currentA: of(currentA),
    temperatureC: of(temperatureC),
    reportedSocFraction: null,
    notices: [],
  };
}
const together = (pack: Pack, records: ScanRecord[]) =>
  spreadReport(
    joinRecords(
      records.map((record, i) => ({
        record,
        startS: i * 3600,
        startSocFraction: 0.6,
        endSocFraction: 0.6,
      })),
      pack.profile.ratedCapacityAh,
    ),
    pack,
  );

describe.each([
  ['nimh', 1.4],
  ['nmc', 0.15],
] as const)('%s, a block that sags under load when it is warm', (chemistry, sagV) => {
  const pack = packOf(chemistry);
  it('is resistance or capacity when warm, never a wrong reading, and is run warm next', () => {
    const report = together(pack, [
      moment(pack, 0, 22, 0),
      moment(pack, 60, 22, 0),
      moment(pack, 0, 45, 0),
      moment(pack, 60, 45, sagV),
    ]);
    expect(report.findings).toHaveLength(1);
    const [f] = report.findings;
    expect(f).toMatchObject({ channel: 'B8', verdict: 'undetermined', onlyWarmC: 45 });
    expect(f!.alternatives.map((a) => a.verdict)).toEqual(['high-resistance', 'low-capacity']);
    expect(f!.reasons[0]).toMatch(/^Under 60 A it lies −\d+ mV off the pack at 45 °C and \+2 mV at 22 °C/);
    expect(report.nextTest).toContain('at 45 °C');
  });
  it('in the order in which it was read warm first, the same', () => {
    const report = together(pack, [
      moment(pack, 60, 45, sagV),
      moment(pack, 0, 45, 0),
      moment(pack, 60, 22, 0),
    ]);
    expect(report.findings[0]).toMatchObject({ channel: 'B8', verdict: 'undetermined' });
  });
  it('one that sags cold as well is what the whole record says; an even pack is nothing', () => {
    const both = together(pack, [
      moment(pack, 0, 22, 0),
      moment(pack, 60, 22, 1.1 * sagV),
      moment(pack, 0, 45, 0),
      moment(pack, 60, 45, sagV),
    ]);
    expect(both.findings.every((f) => f.onlyWarmC === undefined)).toBe(true);
    expect(both.findings[0]!.channel).toBe('B8');
    const even = [22, 45].flatMap((c) => [moment(pack, 0, c, 0), moment(pack, 60, c, 0)]);
    expect(together(pack, even).findings).toEqual([]);
  });
});
