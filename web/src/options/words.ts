import type { Span } from '@cellmend/core/cost';
import { currencyUnit } from '../ui/units';

/** Thousands apart. */
export const whole = (v: number): string => Math.round(v).toLocaleString('en').replaceAll(',', '\u00a0');
export const money = (v: number): string => `${whole(v)}${currencyUnit() ? ` ${currencyUnit()}` : ''}`;
/** How often, as people say it. */
export const oneIn = (p: number): string =>
  p <= 0 ? 'never' : p >= 0.5 ? `${Math.round(p * 10)} in 10` : `1 in ${Math.round(1 / p)}`;
/** `today`, `1 day`, `3 to 6 days`. */
export function daysOf({ low, high }: Span): string {
  const n = (d: number): string => `${whole(d)} day${Math.round(d) === 1 ? '' : 's'}`;
  if (high === 0) return 'today';
  return Math.round(low) === Math.round(high) ? n(high) : `${whole(low)} to ${n(high)}`;
}
