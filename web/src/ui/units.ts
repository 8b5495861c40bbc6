import type { Units } from '@cellmend/contract/people';
import { scaled, type Measured } from '@cellmend/core/pack';
import { fixed, inDateOrder } from './words';

/** Kilometres in an international mile, by definition (1 mile is 1609.344 m). */
const KM_A_MILE = 1.609344;

let units: Units = { distance: 'km', temperature: 'C', currency: '', dateOrder: 'dmy' };
/** As the workshop has set them. Everything is stored in kilometres and degrees Celsius. */
export function showIn(next: Units): void {
  units = next;
  inDateOrder(next.dateOrder);
}

const perKm = (): number => (units.distance === 'mi' ? 1 / KM_A_MILE : 1);
export const distanceUnit = (): string => (units.distance === 'mi' ? 'miles' : 'km');
/** `31 km`, `19 miles`. */
export const distance = (km: number, digits = 0): string =>
  `${fixed(km * perKm(), digits)} ${distanceUnit()}`;
/** `80 000 km`. */
export const odometer = (km: number): string =>
  `${Math.round(km * perKm())
    .toLocaleString('en')
    .replaceAll(',', ' ')} ${distanceUnit()}`;
export const kmOfShown = (shown: number): number => shown / perKm();
export const shownOfKm = (km: number): number => Math.round(km * perKm() * 10) / 10;
/** A measured range in the workshop's unit. */
export const inDistance = (m: Measured): Measured => scaled(m, perKm());

export const temperatureUnit = (): string => (units.temperature === 'F' ? '°F' : '°C');
export const bareTemperature = (): 'C' | 'F' => units.temperature;
const shownOfC = (celsius: number): number => (units.temperature === 'F' ? celsius * 1.8 + 32 : celsius);
/** `21 °C`, `70 °F`. */
export const temperature = (celsius: number, digits = 0): string =>
  `${fixed(shownOfC(celsius), digits)} ${temperatureUnit()}`;
const NUMBER = '([−-]?\\d+(?:\\.\\d+)?)';
const DEGREES = new RegExp(`(± ?)?(?:${NUMBER}( (?:to|and) ))?${NUMBER} °C( a minute| apart)?`, 'g');
const read = (text: string): number => Number(text.replace('−', '-'));
const digitsOf = (text: string): number => text.split('.')[1]?.length ?? 0;
/**
 * A sentence of the computation, which speaks of °C, in the workshop's unit: `52 °C, the limit is 45 °C` becomes
 * `126 °F, the limit is 113 °F`; what is a difference (`±`, `apart`, `a minute`) is told as one.
 */
export const told = (text: string): string =>
  units.temperature === 'C'
    ? text
    : text.replace(
        DEGREES,
        (
          _,
          about: string | undefined,
          from: string | undefined,
          and: string | undefined,
          to: string,
          rate = '',
        ) => {
          const difference = about !== undefined || rate !== '';
          const one = (t: string): string =>
            fixed(difference ? read(t) * 1.8 : shownOfC(read(t)), digitsOf(t));
          return `${about ?? ''}${from === undefined ? '' : `${one(from)}${and ?? ''}`}${one(to)} °F${rate}`;
        },
      );
const KILOMETRES = new RegExp(`(?:${NUMBER}( (?:of|to|and) ))?${NUMBER} km\\b`, 'g');
/** The same of roads: `80 of 150 km` becomes `50 of 93 miles`. */
export const toldRoad = (text: string): string =>
  units.distance === 'km'
    ? text
    : text.replace(KILOMETRES, (_, from: string | undefined, and: string | undefined, to: string) => {
        const one = (t: string): string => fixed(read(t) / KM_A_MILE, digitsOf(t));
        return `${from === undefined ? '' : `${one(from)}${and ?? ''}`}${one(to)} miles`;
      });
/** A difference: 1 K is 1.8 °F. */
export const shownTemperature = (celsius: number): number => Math.round(shownOfC(celsius) * 10) / 10;
/** `6 500 EUR`; the bare amount where the workshop has named no currency. */
export const currencyUnit = (): string => units.currency;
