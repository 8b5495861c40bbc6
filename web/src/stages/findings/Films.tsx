import { verdictName, type ChannelFinding, type Film } from '@cellmend/core/spread';
import { DataTable, Mute } from '../../ui/parts';
import { fixed, percent } from '../../ui/words';

const AFTER: Record<Film['shows'][number]['after'], string> = {
  charge: 'After a charge',
  drive: 'After a drive',
  standing: 'Two days on',
};
const signed = (mv: number): string => `${mv < 0 ? '−' : '+'}${fixed(Math.abs(mv), 0)}`;
const range = ([low, high]: [number, number]): string =>
  `${signed(Math.abs(low) < Math.abs(high) ? low : high)} to ${signed(Math.abs(low) < Math.abs(high) ? high : low)}`;

/** What the next scan shows under each cause that is left, where one state of charge is all there is. */
export function Films({ finding }: { finding: Pick<ChannelFinding, 'films' | 'alternatives' | 'channel'> }) {
  const rows = finding.alternatives.flatMap((a) => {
    const film = finding.films?.find((f) => f.verdict === a.verdict);
    return film && a.confidence >= 0.02 ? [{ ...a, shows: film.shows }] : [];
  });
  if (rows.length === 0) return null;
  return (
    <>
      <DataTable>
        <thead>
          <tr>
            <th>If it is</th>
            {rows[0]!.shows.map((s) => (
              <th key={s.after} className="r">
                {AFTER[s.after]}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.verdict}>
              <td>
                <b>{verdictName(r.verdict)}</b> {percent(r.confidence)}
              </td>
              {r.shows.map((s) => (
                <td key={s.after} className="r">
                  {range(s.deltaMv)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </DataTable>
      <Mute>What {finding.channel} shows against the pack in the next scan, mV.</Mute>
    </>
  );
}
