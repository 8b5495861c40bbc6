import type { EvidenceId } from './order';

/** How a job ends. */
export const ENDINGS = {
  repaired: 'repaired',
  monitored: 'monitored',
  declined: 'declined',
  appraised: 'appraised',
  'handed-on': 'handed on, locked',
  scrapped: 'scrapped',
} as const;
export type Ending = keyof typeof ENDINGS;
export const ENDING_IDS = Object.keys(ENDINGS) as Ending[];

export interface MeasureFacts {
  /** In the words of pages and sheets: `replace module M07`. */
  name: string;
  /** What it is done to; `pack` takes no place. */
  on: 'module' | 'board' | 'joint' | 'part' | 'pack';
  /** How a job with it may end. */
  ends: Ending;
  /** What has to be on record before it counts as done. */
  needs: readonly EvidenceId[];
  /** It can also be done with the pack closed (the vehicle's own balancing, a charge at the plug). */
  mayStayClosed?: true;
}

const BACK: readonly EvidenceId[] = ['insulation-before-lid', 'after-scan', 'both-ends'];

/**
 * Every kind of measure, with what it needs as data. The order of work is that of the evidence. What a measure needs
 * is common practice of the trade, no source, after the maker's procedure.
 */
export const MEASURES = {
  'replace-module': {
    name: 'replace module',
    on: 'module',
    ends: 'repaired',
    needs: ['made-safe', 'reached', 'part-chosen', 'level', 'fitted', 'joints', 'wakes', ...BACK],
  },
  'replace-board': {
    name: 'replace or mend board',
    on: 'board',
    ends: 'repaired',
    needs: ['made-safe', 'reached', 'board-answers', 'wakes', ...BACK],
  },
  'mend-joint': {
    name: 'mend joint or tap wire',
    on: 'joint',
    ends: 'repaired',
    needs: ['made-safe', 'reached', 'joints', ...BACK],
  },
  balance: {
    name: 'balance',
    on: 'module',
    ends: 'repaired',
    mayStayClosed: true,
    needs: ['made-safe', 'levelled', ...BACK],
  },
  condition: {
    name: 'condition',
    on: 'module',
    ends: 'repaired',
    mayStayClosed: true,
    needs: ['made-safe', 'reached', 'bench-result', 'joints', ...BACK],
  },
  dry: {
    name: 'dry and refurbish',
    on: 'module',
    ends: 'repaired',
    needs: ['made-safe', 'reached', 'dried', 'part-insulation', 'cause', 'joints', 'wakes', ...BACK],
  },
  'replace-fuse': {
    name: 'replace fuse, pyro fuse or contactor',
    on: 'part',
    ends: 'repaired',
    needs: ['made-safe', 'reached', 'fitted', 'continuity', 'insulation-before-lid'],
  },
  seal: {
    name: 'seal, valve or plug',
    on: 'part',
    ends: 'repaired',
    needs: ['made-safe', 'cause', 'sealed', 'insulation-before-lid'],
  },
  coolant: {
    name: 'coolant',
    on: 'part',
    ends: 'repaired',
    needs: ['made-safe', 'coolant-tight', 'insulation-before-lid'],
  },
  recover: {
    name: 'recover, over-discharged',
    on: 'module',
    ends: 'repaired',
    needs: ['made-safe', 'recovery', 'hold-test', ...BACK],
  },
  monitor: { name: 'monitor only', on: 'pack', ends: 'monitored', needs: [] },
  scrap: { name: 'scrap', on: 'module', ends: 'scrapped', needs: ['made-safe', 'disposal'] },
  'whole-pack': {
    name: 'replace whole pack',
    on: 'pack',
    ends: 'repaired',
    needs: ['made-safe', 'pack-chosen', 'pack-fitted', 'insulation-before-lid', 'after-scan', 'both-ends'],
  },
  exchange: {
    name: 'exchange against another pack',
    on: 'pack',
    ends: 'repaired',
    needs: [
      'made-safe',
      'pack-chosen',
      'pack-fitted',
      'core-returned',
      'insulation-before-lid',
      'after-scan',
      'both-ends',
    ],
  },
  salvage: {
    name: 'salvage for parts',
    on: 'pack',
    ends: 'scrapped',
    needs: ['made-safe', 'parts-kept', 'pack-away'],
  },
  'scrap-pack': {
    name: 'scrap the whole pack',
    on: 'pack',
    ends: 'scrapped',
    needs: ['made-safe', 'pack-away'],
  },
  decline: { name: 'decline', on: 'pack', ends: 'declined', needs: [] },
  appraise: { name: 'appraise only', on: 'pack', ends: 'appraised', needs: ['record'] },
  specialist: {
    name: 'hand to a licensed specialist',
    on: 'pack',
    ends: 'handed-on',
    needs: ['locked-evidence'],
  },
} as const satisfies Record<string, MeasureFacts>;
export type MeasureKind = keyof typeof MEASURES;
export const MEASURE_KINDS = Object.keys(MEASURES) as [MeasureKind, ...MeasureKind[]];
export const measureFacts = (kind: MeasureKind): MeasureFacts => MEASURES[kind];

/** One line of a decision: what is to be done, where, and why. */
export interface Measure {
  /** Stays the same from version to version of the list. */
  id: string;
  kind: MeasureKind;
  /** Module, board, joint or part as the pack names it; empty for the whole pack. */
  place: string;
  why: string;
  /** The pack stays closed: the vehicle's own balancing, a charge at the plug. */
  closed: boolean;
  /** It is not to be done any more, and why; empty while it is. */
  dropped: string;
}

/** `replace module M07`; the kind alone for the whole pack. */
export const measureWords = (m: Pick<Measure, 'kind' | 'place'>): string =>
  `${MEASURES[m.kind].name}${m.place && MEASURES[m.kind].on !== 'pack' ? ` ${m.place}` : ''}`;

/** `replace module M07, M08; balance M11`. */
export function listWords(measures: readonly Pick<Measure, 'kind' | 'place' | 'dropped'>[]): string {
  const places = new Map<MeasureKind, string[]>();
  for (const m of measures.filter((k) => k.dropped === ''))
    places.set(m.kind, [...(places.get(m.kind) ?? []), ...(m.place ? [m.place] : [])]);
  return [...places].map(([kind, at]) => measureWords({ kind, place: at.join(', ') })).join('; ');
}

/** Places of the measures of one kind that still stand. */
export const placesOf = (
  measures: readonly Pick<Measure, 'kind' | 'place' | 'dropped'>[],
  kind: MeasureKind,
): string[] => measures.filter((m) => m.kind === kind && m.dropped === '').map((m) => m.place);
