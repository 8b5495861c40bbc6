import type { Instrument } from '@cellmend/contract/instruments';
import { describe, expect, it } from 'vitest';
import { goesOnWith, interruptedWords } from './interrupted';

const run = (place: string, output: 'off' | 'unknown') => ({
  place,
  output,
  instrument: 'Charger 1',
  instrumentId: 'a',
});
const instrument = (id: string, kind: string, busy = false): Instrument =>
  ({ id, kind, busyWith: busy ? { jobNumber: 1, output: 'on', why: '' } : null }) as unknown as Instrument;

describe('an interrupted run', () => {
  it('is called off only where that is known', () => {
    expect(interruptedWords([run('M03', 'off')])).toBe('M03: interrupted, output off');
    expect(interruptedWords([run('M03', 'unknown')])).toMatch(/^M03: .*not known$/);
    expect(interruptedWords([run('M03', 'unknown'), run('', 'off')])).toMatch(
      /^M03: .*not known\. the pack: .*off$/,
    );
  });

  it('goes on with its own instrument or one of its kind, never with a logger that cannot discharge', () => {
    const logger = instrument('l', 'logger');
    expect(
      goesOnWith(run('M03', 'off'), [logger, instrument('a', 'charger'), instrument('b', 'charger')])?.id,
    ).toBe('a');
    expect(
      goesOnWith(run('M03', 'off'), [logger, instrument('a', 'charger', true), instrument('b', 'charger')])
        ?.id,
    ).toBe('b');
    expect(goesOnWith(run('M03', 'off'), [logger, instrument('a', 'charger', true)])).toBeUndefined();
  });
});
