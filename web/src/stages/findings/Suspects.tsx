import { verdictName, type Difference } from '@cellmend/core/diagnosis';
import { useState } from 'react';
import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import { Mute } from '../../ui/parts';
import { channelList, percent, unbroken } from '../../ui/words';
import { Films } from './Films';
import { Meter } from './Meter';
import type { Suspect } from './view';

export const Item = styled(AriaButton)<{ $suspect: boolean }>`
  width: 100%;
  text-align: left;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 9px 12px;
  min-height: 60px;
  display: grid;
  grid-template-columns: minmax(54px, auto) 1fr auto;
  gap: 2px 10px;
  align-items: baseline;
  cursor: pointer;
  ${(p) => p.$suspect && 'box-shadow: inset 4px 0 0 var(--sus);'}
  b {
    font-size: var(--t-l);
  }
  span {
    color: var(--mute);
    font-size: var(--t-s);
    grid-column: 2 / 4;
  }
  &[aria-expanded='true'] {
    border-color: var(--mat-text);
  }
`;
const Reasons = styled.ul`
  margin: 6px 0 4px;
  padding: 0 12px 0 24px;
  font-size: var(--t-s);
  li {
    margin: 3px 0;
  }
`;

/** One suspect: what it does first, why, what else it could be; what is alike in its channels is said once. */
export function SuspectRow({
  suspect: s,
  open,
  onPress,
  record,
  placeOpen,
}: {
  suspect: Suspect;
  /** What this workshop’s own jobs say of such a verdict; empty of too few. */
  record: string;
  open: boolean;
  /** Two maps fit: how sure it is of a channel says nothing of the module. */
  placeOpen: boolean;
  onPress: () => void;
}) {
  const others = s.channels.filter((c) => c.channel !== s.worst.channel).map((c) => c.channel);
  return (
    <li>
      <Item $suspect={s.confidence !== null} aria-expanded={open} onPress={onPress}>
        <b className="n">{s.module}</b>
        <b>{s.title}</b>
        <b className="n">{s.confidence === null || placeOpen ? '?' : percent(s.confidence)}</b>
        <span>{unbroken([s.line, record].filter(Boolean).join(' · '))}</span>
      </Item>
      {open && (
        <Reasons>
          {s.worst.consequence && (
            <li>
              <b>{unbroken(s.worst.consequence)}</b>
            </li>
          )}
          {s.worst.reasons.map((r, i) => (
            <li key={i}>
              {others.length > 0 && i === 0 ? `${s.worst.channel}: ` : ''}
              {unbroken(r)}
            </li>
          ))}
          {others.length > 0 && <li>The same, less, at {channelList(others)}.</li>}
          <li style={{ listStyle: 'none' }}>
            <Meter channels={s.channels.map((c) => c.channelIndex)} worst={s.worst.channelIndex} />
          </li>
          {s.worst.films && (
            <li style={{ listStyle: 'none' }}>
              <Films finding={s.worst} />
            </li>
          )}
          {s.worst.alternatives.length > 0 && s.confidence !== null && (
            <li>
              <Mute>
                Could still be:{' '}
                {s.worst.alternatives
                  .map((a) => `${verdictName(a.verdict)} ${percent(a.confidence)}`)
                  .join(', ')}
                .
              </Mute>
            </li>
          )}
        </Reasons>
      )}
    </li>
  );
}

/** Channels that differ for certain and do no harm: named, never accused. */
export function Harmless({ differences }: { differences: readonly Difference[] }) {
  const [open, setOpen] = useState(false);
  if (differences.length === 0) return null;
  return (
    <li>
      <Item $suspect={false} aria-expanded={open} onPress={() => setOpen(!open)}>
        <b className="n">{differences.length}</b>
        <b>{differences.length === 1 ? 'Differs, harmless' : 'Differ, harmless'}</b>
        <b />
        <span>
          {differences
            .slice(0, 3)
            .map((d) => `${d.channel} ${verdictName(d.of)}`)
            .join(', ')}
          {differences.length > 3 && ` and ${differences.length - 3} more`}
        </span>
      </Item>
      {open && (
        <Reasons>
          {differences.map((d) => (
            <li key={d.channel}>
              {d.channel} in {d.module}: {d.says}
            </li>
          ))}
        </Reasons>
      )}
    </li>
  );
}
