import type { Measured } from '@cellmend/core/pack';
import styled from 'styled-components';
import { fixed } from './words';

const Open = styled.span`
  border-bottom: 2px dotted var(--mute);
  color: var(--mute);
  font-weight: 400;
  font-size: 0.85em;
  white-space: nowrap;
`;
const Range = styled.small`
  color: var(--mute);
  font-weight: 400;
  white-space: nowrap;
`;

/** Digits of a charge, A·h: a hybrid's pack holds a few of them, and a tenth of one matters there. */
export const chargeDigits = (ah: number): number => (Math.abs(ah) < 20 ? 1 : 0);

/** `98 A·h`, `5.4 A·h`, or `not measured`. */
export const measuredText = (
  m: Measured,
  unit: string,
  digits = m.measured && unit === 'A·h' ? chargeDigits(m.value) : 0,
): string => (m.measured ? `${fixed(m.value, digits)} ${unit}` : 'not measured');

/** A measured figure with its interval; what is not measured looks it, and says what would measure it. */
export function Figure({
  of: m,
  unit,
  digits = 0,
  stacked = false,
}: {
  of: Measured;
  unit: string;
  digits?: number;
  /** The range below the figure, for narrow columns. */
  stacked?: boolean;
}) {
  if (!m.measured)
    return (
      <Open title={`${m.why} ${m.test}`} aria-label={`not measured. ${m.why} ${m.test}`}>
        not measured
      </Open>
    );
  return (
    <>
      {fixed(m.value, digits)} {unit}{' '}
      <Range style={stacked ? { display: 'block' } : undefined}>
        {fixed(m.low, digits)} to {fixed(m.high, digits)}
      </Range>
    </>
  );
}
