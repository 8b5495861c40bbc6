const POWERS = Float64Array.from({ length: 16 }, (_, i) => 10 ** i);

/**
 * Reads one row of plain decimals straight from the text into `out`, one per column.
 * A row that holds anything else, or another count of cells, is left to the CSV parser.
 * Values are those of `Number`: an integer below 2^53 divided by a power of ten up to 10^22 is correctly rounded
 * (Clinger, How to read floating point numbers accurately, 1990).
 * @returns where the next row begins, or -1 if this row is not plain.
 */
export function readPlainRow(
  text: string,
  from: number,
  delimiter: number,
  point: number,
  out: Float64Array,
): number {
  const columns = out.length;
  let i = from;
  for (let c = 0; c < columns; c++) {
    let code = text.charCodeAt(i);
    const negative = code === 45;
    if (negative) code = text.charCodeAt(++i);
    let digits = 0;
    let decimals = -1;
    let value = 0;
    for (;;) {
      if (code >= 48 && code <= 57) {
        value = value * 10 + (code - 48);
        digits++;
        if (decimals >= 0) decimals++;
      } else if (code === point && decimals < 0) decimals = 0;
      else break;
      code = text.charCodeAt(++i);
    }
    if (digits === 0 || digits > 15) return -1;
    if (decimals > 0) value /= POWERS[decimals]!;
    out[c] = negative ? -value : value;
    if (c < columns - 1) {
      if (code !== delimiter) return -1;
      i++;
    }
  }
  const code = text.charCodeAt(i);
  if (code === 10) return i + 1;
  if (code === 13) return text.charCodeAt(i + 1) === 10 ? i + 2 : i + 1;
  return -1;
}
