import type { Stage } from '@cellmend/core/route';
import { JotQuestion } from '@cellmend/core/jot';
import type { InputProblem } from '@cellmend/core/pack';
import { currentPerson, newKey } from '../api/client';

/** A line that was typed and is not understood, or can mean two things: kept until somebody says what it is. */
export interface Asked {
  id: string;
  jobNumber: number;
  stage: Stage;
  text: string;
  /** Who typed it: nobody else is asked, and nothing of it goes under another name. */
  personId: string | null;
  at: string;
  what: string;
  accepted: string;
  choices: readonly { says: string; line: string }[];
}

const PREFIX = 'cellmend.asked.';
const listeners = new Set<() => void>();
let snapshot: Asked[] | null = null;
const read = (): Asked[] =>
  Object.keys(localStorage)
    .filter((k) => k.startsWith(PREFIX))
    .map((k) => JSON.parse(localStorage.getItem(k) ?? 'null') as Asked)
    .filter(Boolean)
    .sort((a, b) => a.at.localeCompare(b.at));
/** Lines of everybody who used this tablet; {@link isMine} tells one's own. */
export const askedNow = (): Asked[] => (snapshot ??= read());
export const isMine = (a: Asked): boolean => a.personId === currentPerson();
export const subscribeAsked = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};
function changed(): void {
  snapshot = read();
  for (const l of listeners) l();
}

/** Keeps the line before it returns. */
export function ask(text: string, jobNumber: number, stage: Stage, problem: InputProblem): Asked {
  const asked: Asked = {
    id: newKey(),
    jobNumber,
    stage,
    text,
    personId: currentPerson(),
    at: new Date().toISOString(),
    what: problem.what,
    accepted: problem.accepted,
    choices: problem instanceof JotQuestion ? problem.choices : [],
  };
  localStorage.setItem(PREFIX + asked.id, JSON.stringify(asked));
  changed();
  return asked;
}
export function answered(id: string): void {
  localStorage.removeItem(PREFIX + id);
  changed();
}
