import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { bareTemperature, temperature } from './units';

/**
 * Degrees Celsius from what was typed; without a unit it is the workshop's.
 * @throws InputProblem for what is no temperature.
 */
export function celsiusOf(text: string): number {
  const { value, quantity } = parseQuantity(text);
  if (quantity === 'temperature') return value;
  if (quantity !== null)
    throw new InputProblem(
      'temperature',
      `“${text}” is no temperature.`,
      '',
      `Degrees, such as ${temperature(34)}.`,
    );
  return bareTemperature() === 'F' ? (value - 32) / 1.8 : value;
}
