import { limitValue, type Pack } from '../pack';
import type { InsulationReport } from './types';

type Note = NonNullable<InsulationReport['jotted']>[number];

/** How much likelier the leak is where a figure below the limit was jotted, and where a good one was. From memory. */
const JOTTED_LOW = 12;
const JOTTED_GOOD = 0.4;

/**
 * What was jotted at modules, the newest of each. Without the voltage it was taken at a good figure is no pass: dried
 * electrolyte insulates at the nine volts of a multimeter.
 */
export function jottedNotes(
  jotted: readonly { module: string; ohm: number }[],
  pack: Pack,
): Map<string, Note> {
  const least = limitValue(pack.profile, 'moduleInsulationOhm');
  return new Map(
    jotted.map(({ module, ohm }) => {
      const low = ohm < least;
      const says = low
        ? 'below the limit of a module: looked at first'
        : 'a good figure, but no pass: the voltage it was taken at is not on record';
      return [module, { module, ohm, low, says }];
    }),
  );
}

/** What a note does to the likelihood of its module; one where there is none. */
export const jottedWeight = (note: Note | undefined): number =>
  !note ? 1 : note.low ? JOTTED_LOW : JOTTED_GOOD;
