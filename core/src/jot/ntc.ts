import { InputProblem } from '../problem';

/** Kelvin of 0 °C and of the 25 °C an NTC is named by. */
const ZERO_K = 273.15;
const NAMED_K = ZERO_K + 25;
/** Usual spread of B between 25 and 85 °C of the 10 kΩ sensors found in packs, K. From memory; the maker's table wins. */
export const USUAL_B_K = { low: 3380, high: 3950 } as const;
export const USUAL_NTC_OHM = 10_000;

const atB = (ohm: number, namedOhm: number, bK: number): number =>
  1 / (1 / NAMED_K + Math.log(ohm / namedOhm) / bK) - ZERO_K;

/**
 * Temperature of an NTC by its resistance, 1/T = 1/T₂₅ + ln(R/R₂₅)/B (the beta formula of IEC 60539-1), °C, with what the
 * sensor's unknown B leaves open as ±.
 * @throws InputProblem for a resistance outside −40 to 120 °C of such a sensor.
 */
export function ntcTemperature(
  ohm: number,
  namedOhm: number = USUAL_NTC_OHM,
): { celsius: number; halfWidthC: number } {
  const [a, b] = [atB(ohm, namedOhm, USUAL_B_K.low), atB(ohm, namedOhm, USUAL_B_K.high)];
  const celsius = (a + b) / 2;
  if (!(ohm > 0) || !(celsius >= -40 && celsius <= 120))
    throw new InputProblem(
      'ntc',
      `${ohm} Ω is no temperature of a ${namedOhm / 1000} kΩ NTC.`,
      '',
      'Ohms between about 340 kΩ (−40 °C) and 450 Ω (120 °C), such as 6.2k ntc.',
    );
  return { celsius, halfWidthC: Math.abs(a - b) / 2 };
}
