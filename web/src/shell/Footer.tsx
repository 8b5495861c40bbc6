import { STAGE_FACTS, type Stage } from '@cellmend/core/route';
import { parseJot, type Jot } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { CircleAlert, CloudOff, Footprints } from 'lucide-react';
import { useEffect, useRef, useState, useSyncExternalStore, type FormEvent, type RefObject } from 'react';
import { Dialog, DialogTrigger } from 'react-aria-components';
import styled from 'styled-components';
import { discard, isMine, sendAsMine, subscribe, waitingNow } from '../api/queue';
import { Mute } from '../ui/parts';
import { jotWords, keep } from './entries';
import { Clocks } from './Clocks';
import { Pop, Tool } from './footerParts';
import { useJobView } from './jobContext';

const Bar = styled.footer`
  grid-column: 1 / -1;
  background: var(--chip);
  border-top: 1px solid var(--line);
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 0 18px;
  font-size: 14px;
  min-width: 0;
  position: relative;
  @media (max-width: 1000px) {
    position: sticky;
    bottom: 0;
    z-index: 4;
    flex-wrap: wrap;
    gap: 4px 14px;
    padding: 6px 14px;
  }
  @media print {
    display: none;
  }
`;
const JotForm = styled.form`
  flex: 0 0 320px;
  position: relative;
  display: flex;
  align-items: center;
  gap: 10px;
  background: var(--sheet);
  border: 1px solid var(--edge);
  border-radius: 6px;
  height: 40px;
  padding: 0 12px;
  &:focus-within {
    outline: 3px solid var(--mat-text);
  }
  @media (max-width: 1000px) {
    flex: 1 1 180px;
    height: 44px;
  }
  input {
    flex: 1;
    border: 0;
    outline: 0;
    background: none;
    height: 100%;
    font-size: 16px;
    min-width: 0;
  }
  input::placeholder {
    color: var(--mute);
  }
`;
const Kbd = styled.kbd`
  font: inherit;
  font-size: 12.5px;
  background: var(--chip);
  color: var(--ink);
  border-radius: 4px;
  padding: 1px 7px;
  border: 1px solid var(--line);
`;
const Said = styled.output<{ $wrong: boolean }>`
  position: absolute;
  left: -1px;
  bottom: calc(100% + 6px);
  background: var(--sheet);
  border: 1px solid ${(p) => (p.$wrong ? 'var(--bad)' : 'var(--mat-text)')};
  border-radius: 6px;
  padding: 8px 12px;
  min-width: 100%;
  max-width: 640px;
  font-size: 16px;
  box-shadow: 0 4px 16px #0003;
  z-index: 3;
  small {
    display: block;
    font-size: 13.5px;
    color: var(--mute);
  }
`;
/** Keys are for who has a keyboard. */
const KeysTool = styled(Tool)`
  @media (max-width: 640px) {
    display: none;
  }
`;
const Wait = styled(Tool)`
  font-weight: 650;
  color: var(--ink);
  svg {
    flex: none;
  }
`;
/** A reading in one line: what was understood is shown before it is stored. */
export function JotLine({ stage, inputRef }: { stage: Stage; inputRef: RefObject<HTMLInputElement | null> }) {
  const { pack, job, select, person } = useJobView();
  const [text, setText] = useState('');
  const [kept, setKept] = useState<string | null>(null);
  let jot: Jot | null = null;
  let problem: InputProblem | null = null;
  if (text.trim() !== '') {
    try {
      jot = parseJot(text, pack, STAGE_FACTS[stage].usual);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      problem = e;
    }
  }
  useEffect(() => {
    if (!kept) return;
    const timer = setTimeout(() => setKept(null), 2500);
    return () => clearTimeout(timer);
  }, [kept]);
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (!jot) return;
    if (jot.type === 'find') {
      select(
        jot.place.kind === 'module'
          ? jot.place.moduleIndex
          : jot.place.kind === 'channel'
            ? (pack.channels[jot.place.channelIndex]!.moduleIndices[0] ?? null)
            : null,
      );
      setText('');
      return;
    }
    if (!person.mayWrite) return;
    const words = jotWords(jot, pack);
    void keep(jot, pack, job.number, stage).then(() => {
      setKept(words);
      // Somebody quick has typed the next line by now: that one stays.
      setText((now) => (now === text ? '' : now));
    });
  };
  return (
    <JotForm onSubmit={submit}>
      <Kbd aria-hidden>J</Kbd>
      <input
        ref={inputRef}
        aria-label="Jot line"
        autoComplete="off"
        spellCheck={false}
        placeholder="m07 3.412"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === 'Escape' && (setText(''), e.currentTarget.blur())}
      />
      {(jot ?? problem) && (
        <Said $wrong={problem !== null}>
          {jot ? jotWords(jot, pack) : problem!.what}
          <small>
            {jot
              ? person.mayWrite || jot.type === 'find'
                ? jot.type === 'find'
                  ? 'Enter shows it'
                  : 'Enter stores it'
                : 'You read only; nothing is stored.'
              : problem!.accepted}
          </small>
        </Said>
      )}
      {kept && !jot && !problem && (
        <Said $wrong={false}>
          {kept}
          <small>Kept</small>
        </Said>
      )}
    </JotForm>
  );
}

/** Entries that have not reached the server yet, and those it refused. */
export function WaitingEntries() {
  const waiting = useSyncExternalStore(subscribe, waitingNow);
  if (waiting.length === 0) return null;
  const refused = waiting.filter((w) => w.refused).length;
  return (
    <DialogTrigger>
      <Wait>
        {refused > 0 ? <CircleAlert size={18} /> : <CloudOff size={18} />}
        {refused > 0 ? `${refused} refused` : `${waiting.length} waiting`}
      </Wait>
      <Pop>
        <Dialog aria-label="Entries not stored on the server yet">
          <b>{refused > 0 ? 'The server refused these' : 'Kept here until the server is back'}</b>
          <ul>
            {waiting.map((w) => (
              <li key={w.key}>
                {w.label} <Mute>job {w.jobNumber}</Mute>
                {!isMine(w) && (
                  <>
                    <br />
                    <Mute>
                      {w.personName
                        ? `Made by ${w.personName}: it goes when they sign in here.`
                        : 'Nobody knows who made it.'}
                    </Mute>{' '}
                    {!w.personName && <Tool onPress={() => void sendAsMine(w.key)}>Send as mine</Tool>}{' '}
                    <Tool onPress={() => void discard(w.key)}>Take back</Tool>
                  </>
                )}
                {w.refused && (
                  <>
                    <br />
                    <Mute>{w.refused.detail}</Mute> <Tool onPress={() => void discard(w.key)}>Take back</Tool>
                  </>
                )}
              </li>
            ))}
          </ul>
        </Dialog>
      </Pop>
    </DialogTrigger>
  );
}

export function Footer({
  stage,
  jotRef,
  onWalk,
  onKeys,
}: {
  stage: Stage;
  jotRef: RefObject<HTMLInputElement | null>;
  onWalk: () => void;
  onKeys: () => void;
}) {
  const { person } = useJobView();
  return (
    <Bar aria-label="Bench">
      <JotLine stage={stage} inputRef={jotRef} />
      <Clocks />
      <WaitingEntries />
      {person.mayWrite && (
        <Tool onPress={onWalk}>
          <Footprints size={18} />
          Walk <Kbd>W</Kbd>
        </Tool>
      )}
      <KeysTool onPress={onKeys}>
        Keys <Kbd>?</Kbd>
      </KeysTool>
    </Bar>
  );
}

/** Focus target for the jot line, shared with the keys. */
export const useJotRef = (): RefObject<HTMLInputElement | null> => useRef<HTMLInputElement | null>(null);
