import { heldText, type Spread, type SpreadReport } from '@cellmend/core/diagnosis';
import { spreadOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { DataTable, Mute, Sheet } from '../../ui/parts';
import { fixed, orDash } from '../../ui/words';

/** Every test that would settle something, with what it is worth for its effort. */
export function WhyThis({ report }: { report: SpreadReport }) {
  const open = report.findings.filter((f) => f.verdict === 'undetermined').length;
  return (
    <Sheet>
      <h3>Tests, best for their effort first</h3>
      <Mute>
        {open} {open === 1 ? 'cause is' : 'causes are'} open. One bit halves what is open.
      </Mute>
      <DataTable>
        <thead>
          <tr>
            <th>Test</th>
            <th className="r">Minutes</th>
            <th className="r">Settles</th>
            <th className="r">Bits a quarter hour</th>
          </tr>
        </thead>
        <tbody>
          {report.tests.map((t) => (
            <tr key={t.text}>
              <td>{t.text}</td>
              <td className="r">{t.minutes}</td>
              <td className="r">{fixed(t.bits, 2)} bit</td>
              <td className="r">{fixed((15 * t.bits) / t.minutes, 2)}</td>
            </tr>
          ))}
        </tbody>
      </DataTable>
    </Sheet>
  );
}

type Row = Spread['channels'][number] | undefined;
const volts = (c: Row): string => (c?.voltageV == null ? '–' : `${c.voltageV.toFixed(3)} V`);
const charge = (c: Row): string =>
  orDash(c?.deltaSocFraction == null ? null : c.deltaSocFraction * 100, 1, ' %');

/** The same numbers as a table, for copying. */
export function Figures({ only }: { only: number | null }) {
  const { findings, pack } = useJobView();
  const report = spreadOf(findings, 'before')!.report;
  const rows = pack.channels.filter((c) => only === null || c.moduleIndices.includes(only));
  return (
    <Sheet>
      <h3>Every channel{only !== null ? ` of ${pack.modules[only]!.id}` : ''}</h3>
      <DataTable>
        <thead>
          <tr>
            <th>Channel</th>
            <th className="r">near full</th>
            <th className="r">z</th>
            <th className="r">near empty</th>
            <th className="r">z</th>
            <th className="r">ΔSOC full</th>
            <th className="r">ΔSOC empty</th>
            <th className="r">A·h at empty</th>
            <th className="r">capacity</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((c) => {
            const f = report.nearFull?.channels[c.index];
            const e = report.nearEmpty?.channels[c.index];
            const estimate = report.channels.find((k) => k.channelIndex === c.index);
            return (
              <tr key={c.id}>
                <td>{c.id}</td>
                <td className="r">{volts(f)}</td>
                <td className="r">{orDash(f?.modifiedZ)}</td>
                <td className="r">{volts(e)}</td>
                <td className="r">{orDash(e?.modifiedZ)}</td>
                <td className="r">{charge(f)}</td>
                <td className="r">{charge(e)}</td>
                <td className="r">{orDash(e?.deltaAh)}</td>
                <td className="r">
                  {estimate?.capacityRatio ? heldText(estimate.capacityRatio, 1) : 'not measured'}
                </td>
              </tr>
            );
          })}
        </tbody>
      </DataTable>
    </Sheet>
  );
}
