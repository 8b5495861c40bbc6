/**
 * Open-circuit voltage of an NMC811 / graphite-SiOx cell.
 * Half-cell functions of Chen et al., J. Electrochem. Soc. 167 (2020) 080534; coefficients from memory of that
 * paper. 0..100 % state of charge is x 0.0279 → 0.9014 (negative) and y 0.9084 → 0.2661 (positive).
 */
export const chen2020OcvV = (socFraction: number): number =>
  chen2020PositiveV(0.9084 + socFraction * (0.2661 - 0.9084)) -
  chen2020NegativeV(0.0279 + socFraction * (0.9014 - 0.0279));

/** Graphite-SiOx against lithium, V, by its stoichiometry. */
export const chen2020NegativeV = (x: number): number =>
  1.9793 * Math.exp(-39.3631 * x) +
  0.2482 -
  0.0909 * Math.tanh(29.8538 * (x - 0.1234)) -
  0.04478 * Math.tanh(14.9159 * (x - 0.2769)) -
  0.0205 * Math.tanh(30.4444 * (x - 0.6103));

/** NMC811 against lithium, V, by its stoichiometry. */
export const chen2020PositiveV = (y: number): number =>
  -0.809 * y +
  4.4875 -
  0.0428 * Math.tanh(18.5138 * (y - 0.5542)) -
  17.7326 * Math.tanh(15.789 * (y - 0.3117)) +
  17.5842 * Math.tanh(15.9308 * (y - 0.312));

/** The same as a table of hundredths, volts to a tenth of a millivolt. */
export const chen2020Table = (): [number, number][] =>
  Array.from({ length: 101 }, (_, i) => [i / 100, Math.round(chen2020OcvV(i / 100) * 1e4) / 1e4]);
