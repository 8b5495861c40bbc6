import type { SpreadReport } from '@cellmend/core/diagnosis';
import { useJobView } from '../../shell/jobContext';
import { Mute, Sheet, Stack } from '../../ui/parts';
import { fixed } from '../../ui/words';

/** Volts of every channel as they are, where nothing is to be compared. */
export function Settled({ report }: { report: SpreadReport }) {
  const { pack } = useJobView();
  return (
    <Sheet>
      <h3>Every channel as it stands</h3>
      <Mute>Nothing is compared: the pack as a whole is beyond its limits.</Mute>
      <p className="n" style={{ fontSize: 15, lineHeight: 1.7 }}>
        {pack.channels.map((c) => (
          <span key={c.id} style={{ display: 'inline-block', minWidth: 118 }}>
            {c.id} {report.settledV[c.index] == null ? '–' : `${fixed(report.settledV[c.index]!, 3)} V`}
          </span>
        ))}
      </p>
    </Sheet>
  );
}

/** Lowest and highest, and what to do first. */
export function Extremes({ report }: { report: SpreadReport }) {
  const { pack } = useJobView();
  const known = pack.channels.flatMap((c) => {
    const v = report.settledV[c.index];
    return v == null ? [] : [{ id: c.id, v }];
  });
  const sorted = [...known].sort((a, b) => a.v - b.v);
  const [low, high] = [sorted[0], sorted[sorted.length - 1]];
  return (
    <li>
      <Sheet>
        <Stack $gap={6}>
          {low && high && (
            <p>
              Lowest {low.id} <b className="n">{fixed(low.v, 2)} V</b>, highest {high.id}{' '}
              <b className="n">{fixed(high.v, 2)} V</b>.
            </p>
          )}
          <p>
            {report.pack.verdict === 'over-discharged'
              ? 'Scrap by default. A supervised recovery is a decision of its own: low current, outdoors, watched, and it has to hold.'
              : 'No charging, no driving. The maker or a licensed specialist says how it is brought down.'}
          </p>
        </Stack>
      </Sheet>
    </li>
  );
}
