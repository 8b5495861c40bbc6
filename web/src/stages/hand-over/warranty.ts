import type { BodyOf } from '@cellmend/contract/decisions';
import { kmOfShown, shownOfKm } from '../../ui/units';

export type WarrantyTyped = { months: string; distance: string; covers: string[] };
export const NO_WARRANTY: WarrantyTyped = { months: '', distance: '', covers: [] };

const figure = (text: string): number | null =>
  text.trim() === '' ? null : Number(text.trim().replace(',', '.'));
const bad = (v: number | null): boolean => v !== null && !(v > 0);

/** What was typed of a warranty: null where none is given, `wrong` where it cannot be read. */
export function warrantyOf(t: WarrantyTyped): {
  warranty: BodyOf<'hand-over'>['warranty'];
  wrong: boolean;
} {
  const [months, shown] = [figure(t.months), figure(t.distance)];
  if (bad(months) || bad(shown)) return { warranty: null, wrong: true };
  if (months === null && shown === null) return { warranty: null, wrong: false };
  const covers = (['parts', 'labour'] as const).filter((c) => t.covers.includes(c));
  return {
    warranty: { months, km: shown === null ? null : kmOfShown(shown), covers },
    // What it covers is said, or it covers nothing.
    wrong: covers.length === 0,
  };
}
export const typedOf = (w: BodyOf<'hand-over'>['warranty']): WarrantyTyped =>
  w
    ? {
        months: w.months === null ? '' : String(w.months),
        distance: w.km === null ? '' : String(shownOfKm(w.km)),
        covers: [...w.covers],
      }
    : NO_WARRANTY;
