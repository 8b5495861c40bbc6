import type { Ending, Measure } from '@cellmend/core/route';

/** What each ending's sheet is called, and what it asks for beside the record. */
export const SHEETS: Record<Ending, { title: string; asks: string | null; heading: string; expect: string }> =
  {
    repaired: {
      title: 'Hand-over',
      asks: null,
      heading: '',
      expect:
        'For two weeks charge to full once a week and let it stand an hour, so that the balancing can finish. Come back if the range falls by more than 10 % or a warning lamp lights.',
    },
    monitored: {
      title: 'To be watched',
      asks: null,
      heading: '',
      expect: 'Come back if the range falls by more than 10 %, a warning lamp lights, or in a year.',
    },
    declined: {
      title: 'Declined',
      asks: 'What mending it would cost, or why nobody can say',
      heading: 'Estimate',
      expect: '',
    },
    appraised: { title: 'Appraisal', asks: 'What it is worth, and to whom', heading: 'Worth', expect: '' },
    'handed-on': {
      title: 'Handed on, locked',
      asks: 'To whom it goes, who is licensed',
      heading: 'Goes to',
      expect: '',
    },
    scrapped: { title: 'Scrapped and salvaged', asks: null, heading: '', expect: '' },
  };

/** Measures after which the balancing has something to do. */
const LEVELS: ReadonlySet<string> = new Set([
  'replace-module',
  'balance',
  'condition',
  'dry',
  'recover',
  'whole-pack',
  'exchange',
]);
const NOTHING_TO_LEVEL = 'Come back if the range falls by more than 10 % or a warning lamp lights.';

/** What the owner is told to expect unless somebody writes it otherwise. */
export const usuallyExpected = (ending: Ending, measures: readonly Measure[]): string =>
  ending === 'repaired' && !measures.some((m) => m.dropped === '' && LEVELS.has(m.kind))
    ? NOTHING_TO_LEVEL
    : SHEETS[ending].expect;
