import type { PackBody } from '../pack';
import { ONE_PERSON_KG } from './plan';

/** What a workshop has to bring a pack down, carry it and send it; null where it has none, or nobody has said. */
export interface Equipment {
  liftTableKg: number | null;
  hoistKg: number | null;
  /** Inside of the largest crate, and what it bears. */
  crateMm: [length: number, width: number, height: number] | null;
  crateKg: number | null;
  /** Clear opening of the narrowest door on the way. */
  doorMm: [width: number, height: number] | null;
  vanKg: number | null;
}
export const NO_EQUIPMENT: Equipment = {
  liftTableKg: null,
  hoistKg: null,
  crateMm: null,
  crateKg: null,
  doorMm: null,
  vanKg: null,
};
export interface LiftRow {
  what: 'persons' | 'lift table' | 'hoist' | 'door' | 'crate' | 'van';
  fits: boolean | null;
  says: string;
}

/** Round a pack in its crate for padding, each side, mm. Common practice, no source. */
const CLEAR_MM = 50;
/** Beside a pack on its table through a door, each side, mm. Common practice, no source. */
const DOOR_MM = 40;
/** A table or hoist is loaded to this share of what it bears: a pack is not lifted at its middle. Common practice, no source. */
const LOAD_SHARE = 0.8;

/** Whether a pack can be brought down, through the door, crated and driven with what is here. */
export function liftPlan(body: PackBody, has: Equipment): LiftRow[] {
  const rows: LiftRow[] = [];
  const { massKg, sizeMm } = body;
  const row = (what: LiftRow['what'], fits: boolean | null, says: string): void =>
    void rows.push({ what, fits, says });
  if (massKg === undefined) row('persons', null, 'What it weighs is not known.');
  else {
    const persons =
      massKg <= ONE_PERSON_KG
        ? 'One person'
        : massKg <= 2 * ONE_PERSON_KG
          ? 'Two persons'
          : 'Never by hand: table or hoist,';
    row(
      'persons',
      massKg <= 2 * ONE_PERSON_KG,
      `${persons} ${massKg <= 2 * ONE_PERSON_KG ? 'can carry' : 'for'} ${massKg} kg.`,
    );
    for (const [what, bears] of [
      ['lift table', has.liftTableKg],
      ['hoist', has.hoistKg],
    ] as const) {
      if (bears === null) continue;
      const most = bears * LOAD_SHARE;
      row(
        what,
        massKg <= most,
        `${massKg} kg on one for ${bears} kg, to ${Math.round(most)} kg off its middle.`,
      );
    }
  }
  const sized = (what: 'door' | 'crate', opening: readonly number[] | null, clear: number): void => {
    if (opening === null) return;
    if (!sizeMm) return row(what, null, 'How large it is is not known.');
    // Flat as it lies: only turned about the upright.
    const [length, width, height] = sizeMm;
    const [a, b] = [Math.max(length, width), Math.min(length, width)].map((v) => v + 2 * clear) as [
      number,
      number,
    ];
    const needs = what === 'door' ? [b, height] : [a, b, height + 2 * clear];
    const inside =
      what === 'door'
        ? opening
        : [Math.max(opening[0]!, opening[1]!), Math.min(opening[0]!, opening[1]!), opening[2]!];
    const fits = needs.every((v, i) => v <= inside[i]!);
    row(what, fits, `Needs ${needs.join(' × ')} mm with clearance, has ${inside.join(' × ')}.`);
  };
  sized('door', has.doorMm, DOOR_MM);
  sized('crate', has.crateMm, CLEAR_MM);
  if (has.crateMm && has.crateKg !== null && massKg !== undefined && massKg > has.crateKg) {
    const crate = rows.find((r) => r.what === 'crate')!;
    crate.fits = false;
    crate.says += ` It bears ${has.crateKg} kg.`;
  }
  if (has.vanKg !== null && massKg !== undefined)
    row(
      'van',
      massKg <= has.vanKg,
      `${massKg} kg of the ${has.vanKg} kg it may load, its crate not counted.`,
    );
  return rows;
}
