/**
 * Input that cannot be used, told so that a person can mend it: what was wrong, where, and what would be
 * accepted. Thrown by every reader and parser of `core`.
 */
export class InputProblem extends Error {
  constructor(
    /** Short machine-readable kind, e.g. `missing-columns`. */
    readonly code: string,
    /** What was wrong. */
    readonly what: string,
    /** Where: line, column, field. Empty if the whole input is meant. */
    readonly where: string,
    /** What would be accepted instead. */
    readonly accepted: string,
  ) {
    super([what, where && `Where: ${where}.`, accepted && `Accepted: ${accepted}`].filter(Boolean).join(' '));
    this.name = 'InputProblem';
  }
}
