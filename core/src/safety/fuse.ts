/** What a continuity reading across a fuse says. Evidence only: the tool offers no way round either kind. */
export interface FuseEvidence {
  state: 'closed' | 'open' | 'doubtful';
  meaning: string;
  next: string;
}

/** A closed fuse reads well below this, an open one well above the other, Ω. Common practice, no source. */
const CLOSED_OHM = 0.5;
const OPEN_OHM = 1000;

/** @param ohm resistance across the fuse, out of circuit; Infinity for no continuity. */
export function fuseEvidence(kind: 'main' | 'pyro', ohm: number): FuseEvidence {
  if (ohm <= CLOSED_OHM)
    return {
      state: 'closed',
      meaning: kind === 'pyro' ? 'The pyro fuse has not fired.' : 'The main fuse is whole.',
      next: 'Look elsewhere for what keeps the pack from closing.',
    };
  if (ohm < OPEN_OHM)
    return {
      state: 'doubtful',
      meaning: `${ohm.toPrecision(2)} Ω is neither a whole fuse nor an open one.`,
      next: 'Clean the contact faces, zero the leads and measure again, out of circuit.',
    };
  return kind === 'pyro'
    ? {
        state: 'open',
        meaning: 'The pyro fuse has fired: the vehicle saw a crash, or its trigger was set off.',
        next: 'Inspection and insulation evidence come first. It is replaced as a part, never bridged; stored crash data is for those licensed to deal with it.',
      }
    : {
        state: 'open',
        meaning: 'The main fuse has opened: somewhere a current went far beyond its rating.',
        next: 'Find the short before a new fuse goes in: insulation, contactors, cables. It is replaced with the maker’s part, never bridged.',
      };
}
