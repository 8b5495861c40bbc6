import type { DeviationSet } from './deviations';

/** Where the typical cell's electrodes are at each moment, as a share of charge, and the charge drawn from either as a share of capacity. */
export interface Places {
  positive: Float64Array;
  negative: Float64Array;
  positiveDrawn: Float64Array;
  negativeDrawn: Float64Array;
}

const places = new WeakMap<DeviationSet, Places>();
/** The surface of an electrode is ahead of its mean while current flows, and that is what the terminals see. */
export function placesOf(observed: Pick<DeviationSet, 'trajectory'> & DeviationSet): Places {
  let found = places.get(observed);
  if (!found) {
    const { socFraction, drawnAh, positiveLagAh, negativeLagAh, capacityAh } = observed.trajectory;
    const at = (lagAh: Float64Array): Float64Array => socFraction.map((s, k) => s - lagAh[k]! / capacityAh);
    const drawn = (lagAh: Float64Array): Float64Array => drawnAh.map((q, k) => (q + lagAh[k]!) / capacityAh);
    found = {
      positive: at(positiveLagAh),
      negative: at(negativeLagAh),
      positiveDrawn: drawn(positiveLagAh),
      negativeDrawn: drawn(negativeLagAh),
    };
    places.set(observed, found);
  }
  return found;
}
