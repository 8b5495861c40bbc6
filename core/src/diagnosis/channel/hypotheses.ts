import { factsOf, type Chemistry } from '../../pack';
import type { Verdict } from '../verdict';
import type { Hypothesis } from './parameters';

/** Nothing wrong: every parameter as healthy channels differ. */
export const HEALTHY: Hypothesis = { name: 'healthy', free: {}, levelAt: 'start', tied: true, penalty: 0 };
/** Anything may be wrong: how well the model can fit at all. */
export const OPEN: Hypothesis = {
  name: 'open',
  free: { soc: 0.15, capacity: 0.25, ohmic: 2, slow: 2, leak: 0.03, offset: 0.15, slip: 0.15, stretch: 0.3 },
  levelAt: 'start',
  tied: true,
  penalty: 0,
};

/**
 * Capacity that went with lithium, with material of the negative or of the positive electrode, or with all three (the modes of ageing:
 * Birkl et al., J. Power Sources 341 (2017) 373, from memory). Level when full, as chargers leave them.
 */
const ELECTRODES: { verdict: Verdict; hypothesis: Hypothesis }[] = (
  [
    ['lithium lost', { slip: 0.15 }, 'slip', 0],
    ['negative material lost', { slip: 0.15, stretch: 0.3 }, undefined, 0],
    ['positive material lost', { capacity: 0.3, stretch: 0.3 }, undefined, 0],
    ['lithium and material lost', { capacity: 0.3, slip: 0.15, stretch: 0.3 }, undefined, 6],
  ] as const
).map(([name, free, positive, penalty]) => ({
  verdict: 'low-capacity',
  hypothesis: { name, free, levelAt: 'full', tied: true, positive, penalty },
}));

/** The explanations that are compared, with how far each may be from healthy (one standard deviation). */
export function hypothesesFor(
  chemistry: Chemistry,
  electrodes = false,
): { verdict: Verdict; hypothesis: Hypothesis }[] {
  const { flat, faults } = factsOf(chemistry);
  const { offsetV: offset, leakPerDay } = faults;
  // Of the positive electrode a flat curve shows nothing but its end.
  const shows = ({ hypothesis }: (typeof ELECTRODES)[number]): boolean =>
    !flat || hypothesis.free.capacity === undefined;
  const base = { levelAt: 'start', tied: true, penalty: 0 } as const;
  return [
    { verdict: 'imbalance', hypothesis: { ...base, name: 'imbalance', free: { soc: 0.15 } } },
    {
      verdict: 'low-capacity',
      hypothesis: {
        ...base,
        name: 'low capacity, level at the start',
        free: { capacity: 0.3 },
        positive: 'capacity',
      },
    },
    {
      verdict: 'low-capacity',
      hypothesis: {
        ...base,
        name: 'low capacity, level when full',
        free: { capacity: 0.3 },
        levelAt: 'full',
        positive: 'capacity',
      },
    },
    ...(electrodes ? ELECTRODES.filter(shows) : []),
    {
      verdict: 'high-resistance',
      hypothesis: { ...base, name: 'joint', free: { ohmic: 2 }, tied: false, positive: 'ohmic' },
    },
    {
      verdict: 'high-resistance',
      hypothesis: { ...base, name: 'worn cell', free: { ohmic: 2 }, tied: true, positive: 'ohmic' },
    },
    {
      verdict: 'self-discharge',
      hypothesis: {
        ...base,
        name: 'self-discharge',
        free: { leak: leakPerDay },
        positive: 'leak',
      },
    },
    {
      verdict: 'self-discharge',
      hypothesis: {
        ...base,
        name: 'self-discharge, low already',
        free: { leak: leakPerDay, soc: 0.15 },
        positive: 'leak',
        penalty: 4,
      },
    },
    { verdict: 'sense-fault', hypothesis: { ...base, name: 'offset', free: { offset } } },
  ];
}
