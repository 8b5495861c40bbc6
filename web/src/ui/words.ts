import {
  differenceInCalendarDays,
  format,
  formatDistanceToNowStrict,
  isToday,
  isTomorrow,
  isYesterday,
} from 'date-fns';

const MINUS = '−';
/** A number with a fixed count of decimals and a true minus sign; what rounds to nothing has no sign. */
export function fixed(v: number, digits = 1): string {
  const text = v.toFixed(digits);
  return (Number(text) === 0 ? text.replace('-', '') : text).replace('-', MINUS);
}
/** With its sign always shown, where it is not nothing. */
export function signed(v: number, digits = 1): string {
  const text = fixed(v, digits);
  return Number(text) > 0 ? `+${text}` : text;
}
/** The same, or a dash where nothing was read. */
export const orDash = (v: number | null | undefined, digits = 1, unit = ''): string =>
  v == null ? '–' : `${signed(v, digits)}${unit}`;
export const percent = (fraction: number, digits = 0): string => `${fixed(fraction * 100, digits)} %`;
/** The same text, its figures and their units on one line each. */
export const unbroken = (text: string): string =>
  text.replace(/(\d) (?=%|[mk]?V\b|A·h|m?A\b|km\b|[mkMG]?Ω|°C)/g, '$1\u00a0');

/** `2 h 10 min`, `38 min`, `3 days 4 h`. */
export function duration(hours: number): string {
  const minutes = Math.round(hours * 60);
  if (minutes < 60) return `${minutes} min`;
  const h = Math.floor(minutes / 60);
  if (h < 48) return minutes % 60 ? `${h} h ${minutes % 60} min` : `${h} h`;
  const days = Math.floor(h / 24);
  return h % 24 && days < 10 ? `${days} days ${h % 24} h` : `${days} days`;
}

const ORDERS = { dmy: 'd MMM yyyy', mdy: 'MMM d, yyyy', ymd: 'yyyy MMM d' } as const;
let order: keyof typeof ORDERS = 'dmy';
/** Which of day, month and year comes first, as the workshop has set it. */
export const inDateOrder = (next: keyof typeof ORDERS): void => void (order = next);

/** `today 09:12`, `tomorrow 06:30`, `3 Mar 14:05`. */
export function when(iso: string): string {
  const d = new Date(iso);
  if (isToday(d)) return `today ${format(d, 'HH:mm')}`;
  if (isYesterday(d)) return `yesterday ${format(d, 'HH:mm')}`;
  if (isTomorrow(d)) return `tomorrow ${format(d, 'HH:mm')}`;
  return format(d, `${ORDERS[order]} HH:mm`);
}
/** `3 Mar 2026 14:05`: on paper, where today is another day for whoever reads it. */
export const dated = (iso: string): string => format(new Date(iso), `${ORDERS[order]} HH:mm`);
/** Ends with one full stop, however it ended. */
export const sentence = (text: string): string => `${text.replace(/[.\s]+$/, '')}.`;
/** A measured figure as it was read, without the tail that computing leaves. */
export const asRead = (v: number): string => String(Number(v.toPrecision(4))).replace('-', MINUS);
export const day = (iso: string): string => format(new Date(iso), ORDERS[order].replace('MMM', 'MMMM'));
/** `today`, `yesterday`, `5 days ago`, `2 months ago`: of something that is no matter of hours. */
export function daysAgo(iso: string): string {
  const days = differenceInCalendarDays(new Date(), new Date(iso));
  return days < 1 ? 'today' : days === 1 ? 'yesterday' : `${formatDistanceToNowStrict(new Date(iso))} ago`;
}
export const since = (iso: string): string => formatDistanceToNowStrict(new Date(iso));

/** `channel 27`, `channels 61 to 64`, `channels 3, 8`: without leading zeros. */
export function channelList(ids: string[]): string {
  const numbers = ids.map((id) => Number(/(\d+)$/.exec(id)?.[1] ?? NaN));
  if (ids.length === 1) return `channel ${Number.isNaN(numbers[0]) ? ids[0] : numbers[0]}`;
  const run = numbers.every((n, i) => i === 0 || n === numbers[i - 1]! + 1);
  if (run && ids.length > 2) return `channels ${numbers[0]} to ${numbers[numbers.length - 1]}`;
  return `channels ${numbers.join(', ')}`;
}

/** `6.2 kΩ`, `482 MΩ`, `2.1 GΩ`: three figures with a prefix. */
export function ohms(v: number): string {
  if (!Number.isFinite(v)) return 'open';
  const [by, prefix] = v >= 1e9 ? [1e9, 'G'] : v >= 1e6 ? [1e6, 'M'] : v >= 1e3 ? [1e3, 'k'] : [1, ''];
  return `${Number((v / (by as number)).toPrecision(3))} ${prefix}Ω`;
}

/** Minutes and seconds left, `2:04`. */
export function countdown(seconds: number): string {
  const s = Math.max(0, Math.ceil(seconds));
  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`;
}

/** With a capital first letter. */
export const upper = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);
