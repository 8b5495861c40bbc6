/** A figure as it is typed, with a point or a comma. */
export const number = (text: string): number => Number(text.trim().replace(',', '.'));
/** Takes a figure above zero, or that there is none. */
export const orNone = (text: string, then: (v: number | undefined) => void): boolean => {
  if (text === '') return (then(undefined), true);
  const v = number(text);
  return Number.isFinite(v) && v > 0 && (then(v), true);
};
