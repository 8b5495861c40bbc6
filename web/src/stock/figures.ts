import type { PartFigures } from '@cellmend/contract/stock';
import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';

export type Typed = Record<keyof PartFigures, string>;
export const EMPTY: Typed = {
  capacityAh: '',
  resistanceMilliohm: '',
  restVoltageV: '',
  temperatureC: '',
  insulationOhm: '',
};
export const FIGURES: { id: keyof PartFigures; name: string; hint: string }[] = [
  { id: 'capacityAh', name: 'Capacity, A·h', hint: '107.4' },
  { id: 'resistanceMilliohm', name: 'Resistance of a group, mΩ', hint: '0.66' },
  { id: 'restVoltageV', name: 'Rest voltage, V', hint: '14.72' },
  { id: 'temperatureC', name: 'At temperature, °C', hint: '21' },
  { id: 'insulationOhm', name: 'Insulation, Ω', hint: '920M' },
];

/**
 * Figures as they are typed: a decimal comma, `920M`, `0.8m` of resistance. What is empty was not measured.
 * @throws InputProblem that names the field
 */
export function readFigures(typed: Typed): Partial<PartFigures> {
  const read: Partial<PartFigures> = {};
  for (const { id, name, hint } of FIGURES) {
    const text = typed[id].trim();
    if (text === '') continue;
    const { value, quantity } = parseQuantity(text);
    // A unit that names ohms is in Ω; a bare figure of resistance is in mΩ.
    const figure = id === 'resistanceMilliohm' && quantity !== null ? value * 1000 : value;
    if (!Number.isFinite(figure) || (id !== 'temperatureC' && figure <= 0))
      throw new InputProblem(
        'figure',
        `“${text}” is no ${name.split(',')[0]!.toLowerCase()}.`,
        name,
        `Such as ${hint}.`,
      );
    read[id] = figure;
  }
  return read;
}

/**
 * A price as it is typed, thousands apart or not: `150`, `1 200`, `89,50`. Empty is none.
 * @throws InputProblem
 */
export function readPrice(text: string): number | undefined {
  if (text.trim() === '') return undefined;
  const value = Number(
    text
      .trim()
      .replace(/[\s’'](?=\d{3}(\D|$))/g, '')
      .replace(',', '.'),
  );
  if (!(value >= 0))
    throw new InputProblem('price', `“${text.trim()}” is no price.`, 'Price', 'Such as 150 or 89.50.');
  return value;
}
