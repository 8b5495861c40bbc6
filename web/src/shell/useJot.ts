import { STAGE_FACTS, type Stage } from '@cellmend/core/route';
import { findPlace, parseJots, placeName, type Jot, type Place } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { useEffect, useRef, useState } from 'react';
import { bareTemperature } from '../ui/units';
import { get } from '../api/client';
import { answered, ask, type Asked } from './asked';
import { tickNow } from './doneLine';
import { keep, withdraw, type Kept } from './entries';
import { useJobView } from './jobContext';
import { useOnward } from './useOnward';

/** How long what was kept stays readable at arm's length, ms. */
const SHOWN_MS = 8000;

export interface JotState {
  /** Takes a line as it is typed, scanned or pasted; the field is free when it returns. */
  takeLine: (line: string, typedAt?: string) => void;
  armed: Place | null;
  disarm: () => void;
  kept: Kept[];
  undo: () => void;
  asked: Asked | null;
  parse: (line: string) => Jot[];
}

/** One word that can be the label of a part: a letter, and a figure somewhere. */
const LABEL = /^(?=.*\d)[A-Za-z][\w./-]{1,39}$/;

/** What becomes of each line: kept, asked about, or a place armed for the next figure. */
export function useJot(stage: Stage): JotState {
  const { pack, job, select, person } = useJobView();
  const onward = useOnward();
  const [armed, setArmed] = useState<Place | null>(null);
  const [kept, setKept] = useState<Kept[]>([]);
  const [asked, setAsked] = useState<Asked | null>(null);
  // Lines of one burst come faster than the page is drawn: what counts is held here.
  const held = useRef<Place | null>(null);
  useEffect(() => {
    if (kept.length === 0) return;
    const timer = setTimeout(() => setKept([]), SHOWN_MS);
    return () => clearTimeout(timer);
  }, [kept]);
  const arm = (place: Place | null): void => {
    held.current = place;
    setArmed(place);
  };
  const parse = (line: string): Jot[] =>
    parseJots(line, pack, STAGE_FACTS[stage].usual, held.current, bareTemperature());
  const takeLine = (line: string, typedAt?: string): void => {
    if (line.trim() === '') return;
    let jots: Jot[];
    try {
      jots = parse(line);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      const label = line.trim();
      const inPack = job.composition.find((c) => c.label.toLowerCase() === label.toLowerCase());
      const module = inPack && pack.modules.find((m) => m.id === inPack.place);
      if (module) {
        // The label of a part that stands in this pack is its place.
        arm({ kind: 'module', moduleIndex: module.index });
        select(module.index);
        setKept([]);
        return;
      }
      // What is not understood is kept as it was typed, with the place it was meant for.
      const at = held.current && placeName(held.current, pack).toLowerCase();
      const named = findPlace(line.trim().split(/[\s,;=:]/)[0] ?? '', pack);
      if (person.mayWrite) {
        const kept = ask(at && !named ? `${at} ${line.trim()}` : line.trim(), job.number, stage, e);
        setAsked(kept);
        arm(null);
        if (LABEL.test(label))
          void get<{ id: string }>(`/parts?label=${encodeURIComponent(label)}`).then(
            ({ id }) => {
              answered(kept.id);
              onward(`/stock/${id}`);
            },
            () => undefined,
          );
      }
      setKept([]);
      return;
    }
    setAsked(null);
    for (const jot of jots) {
      if (jot.type === 'find') {
        arm(jot.place.kind === 'pack' ? null : jot.place);
        select(moduleAt(jot.place));
        setKept([]);
        continue;
      }
      if (!person.mayWrite) continue;
      if (jot.type === 'done') {
        const said = tickNow(jot.part) ?? 'Steps are ticked under Strip down; nothing was ticked here.';
        setKept((k) => [...k, { id: null, label: said, said: true }]);
        continue;
      }
      const entry = keep(jot, pack, job.number, stage, undefined, typedAt);
      if (jot.type === 'reading') arm(null);
      setKept((k) => [...k, entry]);
    }
  };
  const moduleAt = (place: Place): number | null =>
    place.kind === 'module'
      ? place.moduleIndex
      : place.kind === 'channel'
        ? (pack.channels[place.channelIndex]!.moduleIndices[0] ?? null)
        : null;
  return {
    takeLine,
    armed,
    disarm: () => arm(null),
    kept,
    undo: () => {
      const last = kept[kept.length - 1];
      if (!last) return;
      withdraw(last, job.number, stage);
      setKept((k) => k.slice(0, -1));
    },
    asked,
    parse,
  };
}
