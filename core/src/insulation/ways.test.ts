import { describe, expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { rankEntries } from './entries';
import { waysNow, waysTyped, worksOn, type WaysSeen } from './ways';

const pack = normalisePack(pilotCar());
const valves = (typed: string, state: WaysSeen['state'], more: Partial<WaysSeen> = {}): WaysSeen => ({
  ways: waysTyped(typed),
  of: 'valve',
  state,
  ...more,
});

// What ways in look like, and what is done with them, is common practice of the trade, no source.
describe('ways in', () => {
  it('are typed one by one or by their ends; a name with a comma stays one', () => {
    expect(waysTyped('V1 to V84')).toHaveLength(84);
    expect(waysTyped('V9, seam rear, V9')).toEqual(['V9', 'seam rear']);
    expect(waysTyped('B12–14')).toEqual(['B12', 'B13', 'B14']);
    expect(waysTyped('V2, rear right, V9', ['V2, rear right'])).toEqual(['V2, rear right', 'V9']);
    expect(waysTyped('V1 to V900')).toEqual(['V1 to V900']);
  });

  it('eighty-four valves: what is torn is ordered by revision, what was cleaned is told, what is new is done', () => {
    const now = waysNow([
      valves('V1 to V84', 'clean'),
      valves('V3, V17, V40', 'torn', { revision: 'C' }),
      valves('V8', 'dirty'),
      valves('V8', 'clean', { part: 'cleaned and reused' }),
      valves('V17', 'clean', { part: 'new', revision: 'C' }),
    ]);
    expect(now).toHaveLength(84);
    expect(now.find((w) => w.way === 'V8')).toMatchObject({ state: 'dirty', part: 'cleaned and reused' });
    expect(worksOn(now)).toEqual({
      order: [{ of: 'valve', revision: 'C', count: 2, ways: ['V3', 'V40'] }],
      reused: ['V8'],
    });
  });

  it('what is seen at a way counts for that way, whether or not the profile names it', () => {
    const rusted = waysNow([{ ways: ['F3, left, behind the wheel'], of: 'bolt', state: 'corroded' }]);
    const bolt = rankEntries([], pack, 'water', rusted)!;
    expect(bolt.rows[0]).toMatchObject({
      entry: { id: 'F3, left, behind the wheel' },
      because: ['it is corroded'],
    });
    expect(bolt.rows[0]!.share).toBeGreaterThan(2 * bolt.rows[1]!.share);
    const unknown = rankEntries([], pack, 'water', waysNow([valves('V31', 'torn')]))!;
    expect(unknown.rows[0]).toMatchObject({ entry: { id: 'V31', place: null } });
    expect(rankEntries([], pack, 'water', waysNow([valves('V31', 'clean')]))).toBeNull();
  });
});
