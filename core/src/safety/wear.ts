import { CLASS_B_V, gloveClassFor, type GloveClass } from './voltageClass';

/** What is worn and held while something live is within reach. */
export interface Wear {
  /** Null where insulating gloves may come off for mechanical work: at or below 60 V, proven. */
  gloveClass: GloveClass | null;
  faceShield: boolean;
  insulatedTools: boolean;
  /** One hand at the pack, the other away from it and from the chassis. */
  oneHand: boolean;
  says: string;
  /** The same in a few words, for a list of steps. */
  short: string;
}

/**
 * What to wear at a step, by the highest voltage within reach before it is done. Above 60 V DC (class B of UN ECE R100) gloves of the
 * class for it, a face shield and one hand; below it a module still gives a current that melts a spanner. Common practice, no source,
 * but for the classes; the maker's procedure goes beyond.
 */
export function wearFor(voltageV: number): Wear {
  const gloveClass = gloveClassFor(voltageV);
  const live = voltageV > CLASS_B_V;
  return {
    gloveClass,
    faceShield: live,
    insulatedTools: voltageV > 0,
    oneHand: live,
    short: live
      ? `gloves ${gloveClass}, shield, insulated tools, one hand`
      : voltageV > 0
        ? 'insulated tools, eye protection'
        : '',
    says: live
      ? `Gloves class ${gloveClass}, face shield, insulated tools, one hand: ${Math.round(voltageV)} V are within reach.`
      : voltageV > 0
        ? `Below ${CLASS_B_V} V: insulated tools and eye protection, nothing metal on the body. ${Math.round(voltageV)} V still give a current that burns.`
        : '',
  };
}
