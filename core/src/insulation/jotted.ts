import { fullV, limitValue, type Pack } from '../pack';
import { LEAST_OHM_PER_V } from './limits';
import type { Jotted, JottedNote } from './types';

/** How much likelier the leak is where a figure below the limit was jotted, and where a good one was. From memory. */
const JOTTED_LOW = 12;
const JOTTED_GOOD = 0.4;

const NO_PASS = 'no pass: the voltage it was taken at is not on record';

/**
 * What was jotted at modules and poles, the newest of each. Without the voltage it was taken at a good figure is no pass:
 * dried electrolyte insulates at the nine volts of a multimeter.
 */
export function jottedNotes(jotted: readonly Jotted[], pack: Pack): Map<string, JottedNote> {
  const least = limitValue(pack.profile, 'moduleInsulationOhm');
  const leastOfPack = LEAST_OHM_PER_V.dc * fullV(pack.profile, pack.groups.length);
  return new Map(
    jotted.map((j) => {
      const limit = j.pole ? leastOfPack : least;
      const low = j.ohm !== null && !j.atLeast && j.ohm < limit;
      const says = !low
        ? j.ohm === null
          ? `over the meter’s range, but ${NO_PASS}`
          : `a good figure, but ${NO_PASS}`
        : j.pole
          ? 'below what the whole pack needs: two voltages of the poles tell where'
          : 'below the limit of a module: looked at first';
      return [j.pole ?? j.module, { ...j, low, says }];
    }),
  );
}

/** What a note does to the likelihood of its module; one where there is none. */
export const jottedWeight = (note: JottedNote | undefined): number =>
  !note ? 1 : note.low ? JOTTED_LOW : JOTTED_GOOD;
