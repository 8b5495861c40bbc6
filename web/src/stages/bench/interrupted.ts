import type { Instrument } from '@cellmend/contract/instruments';
import type { SupervisedRun } from '@cellmend/contract/supervised';

type Run = Pick<SupervisedRun, 'place' | 'output' | 'instrument' | 'instrumentId'>;
const placeOf = (r: Run): string => r.place || 'the pack';

/** What a page says of runs that were interrupted: off only where that is known. */
export function interruptedWords(runs: readonly Run[]): string {
  const unknown = runs.filter((r) => r.output !== 'off');
  const off = runs.filter((r) => r.output === 'off');
  return [
    ...(unknown.length > 0
      ? [`${unknown.map(placeOf).join(', ')}: interrupted, and whether the output is off is not known`]
      : []),
    ...(off.length > 0 ? [`${off.map(placeOf).join(', ')}: interrupted, output off`] : []),
  ].join('. ');
}

/** An instrument that an interrupted run may go on with: the same if it is free, else one of its kind. */
export function goesOnWith(run: Run, instruments: readonly Instrument[]): Instrument | undefined {
  const before = instruments.find((i) => i.id === run.instrumentId);
  const free = instruments.filter((i) => i.busyWith === null && i.kind === before?.kind);
  return free.find((i) => i.id === run.instrumentId) ?? free[0];
}
