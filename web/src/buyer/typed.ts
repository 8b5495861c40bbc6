import type { Appraisal } from '@cellmend/contract/decisions';
import type { Look } from '@cellmend/core/buyer';
import { bareTemperature, kmOfShown, shownOfKm, shownTemperature } from '../ui/units';

/** The form as it is typed. */
export interface Typed {
  delta: string;
  soc: string;
  health: string;
  coldest: string;
  warmest: string;
  stored: string;
  looked: Partial<Record<Look, 'good' | 'bad'>>;
  price: string;
  tax: string;
  deposit: string;
  depositBack: 'yes' | 'no' | 'unsure';
  freight: string;
  hours: string;
  rate: string;
  keeps: string;
  yearly: string;
  insteadCost: string;
  insteadYears: string;
}
export const NOTHING: Typed = {
  delta: '',
  soc: '',
  health: '',
  coldest: '',
  warmest: '',
  stored: '',
  looked: {},
  price: '',
  tax: '',
  deposit: '',
  depositBack: 'unsure',
  freight: '',
  hours: '',
  rate: '',
  keeps: '',
  yearly: '',
  insteadCost: '',
  insteadYears: '',
};

const text = (v: number | null | undefined, times = 1): string =>
  v == null ? '' : String(Math.round(v * times * 1e6) / 1e6);
const warm = (c: number | null): string => (c === null ? '' : String(shownTemperature(c)));

/** What was signed, as the form shows it. */
export const typedOf = (a: Appraisal | undefined): Typed =>
  a
    ? {
        delta: text(a.shown.deltaMv),
        soc: text(a.shown.socFraction, 100),
        health: text(a.shown.healthFraction, 100),
        coldest: warm(a.shown.coldestC),
        warmest: warm(a.shown.warmestC),
        stored: text(a.shown.storedMonths),
        looked: a.looked,
        price: text(a.offer?.price),
        tax: text(a.offer?.taxFraction, 100),
        deposit: text(a.offer?.deposit),
        depositBack: a.offer?.depositBack ?? 'unsure',
        freight: text(a.offer?.freight),
        hours: text(a.offer?.ownHours),
        rate: text(a.offer?.hourRate),
        keeps: text(a.use?.keepsYears),
        yearly: a.use ? String(shownOfKm(a.use.distanceKmPerYear)) : '',
        insteadCost: text(a.use?.insteadCost),
        insteadYears: text(a.use?.insteadYears),
      }
    : NOTHING;

const ofShown = (v: number): number => (bareTemperature() === 'F' ? ((v - 32) * 5) / 9 : v);
/** Which fields of the money come together, with what they are called. */
const OFFER = {
  price: 'price',
  tax: 'tax',
  deposit: 'deposit',
  freight: 'freight',
  hours: 'own hours',
  rate: 'an hour',
} as const;
const USE = {
  keeps: 'years it is kept',
  yearly: 'distance a year',
  insteadCost: 'cost of the other way',
  insteadYears: 'years the other way lasts',
} as const;

export interface Read {
  appraisal: Appraisal;
  /** What cannot be read, or is missing beside what stands there; empty where all is well. */
  wrong: string[];
}

/** Reads the form: a field that cannot be read is told by its name and taken as not there. */
export function readTyped(t: Typed): Read {
  const wrong: string[] = [];
  const number = (value: string, name: string, most: number, least = 0): number | null => {
    const plain = value
      .trim()
      .replace(/[\s’'](?=\d{3})/g, '')
      .replace(/\s*%$/, '')
      .replace(',', '.');
    if (plain === '') return null;
    const v = Number(plain);
    if (Number.isFinite(v) && v >= least && v <= most) return v;
    wrong.push(`${name}: “${value.trim()}” is no figure from ${least} to ${most}.`);
    return null;
  };
  const share = (value: string, name: string, most = 100): number | null => {
    const v = number(value, name, most);
    return v === null ? null : v / 100;
  };
  const celsius = (value: string, name: string): number | null => {
    const v = number(value, name, 300, -60);
    return v === null ? null : ofShown(v);
  };
  const coldestC = celsius(t.coldest, 'coldest');
  const warmestC = celsius(t.warmest, 'warmest');
  if (coldestC !== null && warmestC !== null && coldestC > warmestC)
    wrong.push('The coldest is warmer than the warmest.');
  const price = number(t.price, OFFER.price, 1e8);
  const offer = {
    taxFraction: share(t.tax, OFFER.tax, 200),
    deposit: number(t.deposit, OFFER.deposit, 1e8),
    freight: number(t.freight, OFFER.freight, 1e8),
    ownHours: number(t.hours, OFFER.hours, 10_000),
    hourRate: number(t.rate, OFFER.rate, 100_000),
  };
  const missing = (names: Record<string, string>, values: Record<string, string>): string[] =>
    Object.entries(names).flatMap(([k, name]) => (values[k]!.trim() === '' ? [name] : []));
  const values = t as unknown as Record<string, string>;
  const lacksOffer = missing(OFFER, values);
  if (lacksOffer.length > 0 && lacksOffer.length < Object.keys(OFFER).length)
    wrong.push(`Still to be typed, 0 where there is none: ${lacksOffer.join(', ')}.`);
  const use = {
    keepsYears: number(t.keeps, USE.keeps, 60, 0.1),
    yearly: number(t.yearly, USE.yearly, 500_000),
    insteadCost: number(t.insteadCost, USE.insteadCost, 1e8),
    insteadYears: number(t.insteadYears, USE.insteadYears, 60, 0.1),
  };
  const lacksUse = missing(USE, values);
  if (lacksUse.length > 0 && lacksUse.length < Object.keys(USE).length)
    wrong.push(`Still to be typed: ${lacksUse.join(', ')}.`);
  return {
    wrong,
    appraisal: {
      topic: 'appraisal',
      shown: {
        deltaMv: number(t.delta, 'delta', 5000),
        socFraction: share(t.soc, 'charge'),
        healthFraction: share(t.health, 'health', 120),
        coldestC,
        warmestC,
        storedMonths: number(t.stored, 'months stored', 600),
      },
      looked: t.looked,
      offer:
        price !== null && Object.values(offer).every((v) => v !== null)
          ? {
              price,
              taxFraction: offer.taxFraction!,
              deposit: offer.deposit!,
              depositBack: t.depositBack,
              freight: offer.freight!,
              ownHours: offer.ownHours!,
              hourRate: offer.hourRate!,
            }
          : null,
      use: Object.values(use).every((v) => v !== null)
        ? {
            keepsYears: use.keepsYears!,
            distanceKmPerYear: kmOfShown(use.yearly!),
            insteadCost: use.insteadCost!,
            insteadYears: use.insteadYears!,
          }
        : null,
    },
  };
}

/** Whether anything of an offer was written down. */
export const isOffered = ({ appraisal: a }: Read): boolean =>
  a.offer !== null ||
  a.use !== null ||
  Object.keys(a.looked).length > 0 ||
  Object.values(a.shown).some((v) => v !== null);
