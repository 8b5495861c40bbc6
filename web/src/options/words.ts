import { currencyUnit } from '../ui/units';

/** Thousands apart. */
export const whole = (v: number): string => Math.round(v).toLocaleString('en').replaceAll(',', '\u00a0');
export const money = (v: number): string => `${whole(v)}${currencyUnit() ? ` ${currencyUnit()}` : ''}`;
/** How often, as people say it. */
export const oneIn = (p: number): string =>
  p <= 0 ? 'never' : p >= 0.5 ? `${Math.round(p * 10)} in 10` : `1 in ${Math.round(1 / p)}`;
