import { Button as AriaButton } from 'react-aria-components';
import styled from 'styled-components';
import type { Taken } from '@cellmend/core/match';
import { temperature } from '../../ui/units';
import { daysAgo, fixed } from '../../ui/words';

/** A donor to pick: what is known of it in one line. */
export const Donor = styled(AriaButton)<{ $picked: boolean }>`
  width: 100%;
  text-align: left;
  background: var(--sheet);
  color: var(--ink);
  border: ${(p) => (p.$picked ? '2px solid var(--mat-text)' : '1px solid var(--line)')};
  padding: ${(p) => (p.$picked ? '11px 15px' : '12px 16px')};
  border-radius: 4px;
  cursor: pointer;
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 8px 16px;
  .label {
    font-size: var(--t-xl);
    font-weight: 700;
  }
  .rank {
    color: var(--mute);
    font-size: var(--t-xs);
  }
  dl {
    display: grid;
    grid-template-columns: repeat(4, 1fr);
    gap: 4px 16px;
    margin: 0;
  }
  dt {
    color: var(--mute);
    font-size: var(--t-xs);
  }
  dd {
    margin: 0;
    font-size: var(--t-l);
    font-weight: 650;
    small {
      font-size: var(--t-xs);
      font-weight: 400;
      color: var(--mute);
      display: block;
    }
  }
  p {
    display: flex;
    gap: 7px;
    align-items: baseline;
    font-size: var(--t-s);
    margin-top: 4px;
    svg {
      flex: none;
      position: relative;
      top: 2px;
    }
  }
`;

/** A figure of a donor, or that nobody measured it. */
export function Told({
  name,
  value,
  unit,
  digits,
  beside,
  taken,
}: {
  name: string;
  value: number | null;
  unit: string;
  digits: number;
  beside?: string;
  /** When it was measured, and how warm it was. */
  taken?: Taken | undefined;
}) {
  return (
    <div>
      <dt>{name}</dt>
      <dd>
        {value === null ? (
          <small>not measured</small>
        ) : (
          <>
            {fixed(value, digits)} {unit}
            {beside && <small>{beside}</small>}
            {taken && (
              <small>
                {daysAgo(taken.at)}
                {taken.temperatureC !== null && `, ${temperature(taken.temperatureC)}`}
              </small>
            )}
          </>
        )}
      </dd>
    </div>
  );
}
