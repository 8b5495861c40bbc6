import { verdictName, type ChannelFinding, type Film } from '@cellmend/core/diagnosis';
import { DataTable, Mute } from '../../ui/parts';
import { fixed, percent, unbroken } from '../../ui/words';

const AFTER: Record<Film['shows'][number]['after'], string> = {
  charge: 'After a charge',
  drive: 'After a drive',
  standing: 'Two days on',
};
const volts = (mv: number): string =>
  `${mv < 0 ? '−' : '+'}${Math.abs(mv) < 1000 ? `${fixed(Math.abs(mv), 0)} mV` : `${fixed(Math.abs(mv) / 1000, 1)} V`}`;
/** A narrow span by its middle, a wide one by its ends, the nearer first. */
function span([low, high]: [number, number]): string {
  const middle = (low + high) / 2;
  if (high - low <= Math.max(20, 0.06 * Math.abs(middle))) return volts(middle);
  const [near, far] = Math.abs(low) < Math.abs(high) ? [low, high] : [high, low];
  return `${volts(near)} to ${volts(far)}`;
}

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
                <b>{verdictName(r.verdict)}</b>, {unbroken(percent(r.confidence))}
              </td>
              {r.shows.map((s) => (
                <td key={s.after} className="r">
                  {span(s.deltaMv)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </DataTable>
      <Mute>What {finding.channel} shows against the pack in the next scan.</Mute>
    </>
  );
}
