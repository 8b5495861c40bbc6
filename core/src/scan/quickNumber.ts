const POWERS = Float64Array.from({ length: 16 }, (_, i) => 10 ** i);

/**
 * Reads a plain decimal such as `3.982`, `-12.5` or `40`: up to 15 digits, a point, no exponent. NaN for anything
 * else, which then takes the careful way. An integer below 2^53 divided by a power of ten up to 10^22 is correctly
 * rounded (Clinger, How to read floating point numbers accurately, 1990), so the result is that of `Number`.
 */
export function quickNumber(text: string): number {
  const n = text.length;
  if (n === 0 || n > 16) return NaN;
  let i = 0;
  let negative = false;
  if (text.charCodeAt(0) === 45) {
    negative = true;
    i = 1;
  }
  let digits = 0;
  let value = 0;
  let point = -1;
  for (; i < n; i++) {
    const c = text.charCodeAt(i);
    if (c >= 48 && c <= 57) {
      value = value * 10 + (c - 48);
      digits++;
    } else if (c === 46 && point < 0) point = i;
    else return NaN;
  }
  if (digits === 0 || digits > 15) return NaN;
  if (point >= 0) value /= POWERS[n - 1 - point]!;
  return negative ? -value : value;
}
