import type { Stage } from '@cellmend/core/route';
import { placeName, type Jot } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { Crosshair, Undo2, X } from 'lucide-react';
import {
  useDeferredValue,
  useState,
  useSyncExternalStore,
  type ClipboardEvent,
  type FormEvent,
  type RefObject,
} from 'react';
import styled from 'styled-components';
import { Answers } from './AskedLines';
import { askedNow, subscribeAsked, type Asked } from './asked';
import { jotWords } from './entries';
import { Choices, Kbd, Tool } from './footerParts';
import { useJobView } from './jobContext';
import { useJot, type JotState } from './useJot';

const JotForm = styled.form`
  flex: 0 0 340px;
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
  @media (max-width: 640px) {
    flex: 1 1 100%;
  }
  input {
    flex: 1;
    border: 0;
    outline: 0;
    background: none;
    height: 100%;
    font-size: var(--t-l);
    min-width: 0;
  }
  input::placeholder {
    color: var(--mute);
  }
`;
/** The place that the next figure is of. */
const Armed = styled.span`
  display: inline-flex;
  align-items: center;
  gap: 6px;
  font-weight: 700;
  background: var(--mat);
  color: var(--mat-ink);
  border-radius: 4px;
  padding: 2px 8px;
  white-space: nowrap;
`;
const Said = styled.div<{ $wrong: boolean }>`
  position: absolute;
  left: -1px;
  bottom: calc(100% + 6px);
  background: var(--sheet);
  border: 1px solid ${(p) => (p.$wrong ? 'var(--bad)' : 'var(--mat-text)')};
  border-radius: 6px;
  padding: 8px 12px;
  min-width: 100%;
  width: max-content;
  max-width: min(640px, calc(100vw - 28px));
  font-size: var(--t-l);
  box-shadow: 0 4px 16px #0003;
  z-index: 3;
  small {
    display: block;
    font-size: var(--t-s);
    color: var(--mute);
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li:not(:last-child) {
    color: var(--mute);
  }
`;

/** A reading in one line: what was understood is shown before it is stored, and what went where afterwards. */
export function JotLine({ stage, inputRef }: { stage: Stage; inputRef: RefObject<HTMLInputElement | null> }) {
  const { pack } = useJobView();
  const jot = useJot(stage);
  const [text, setText] = useState('');
  const shown = useDeferredValue(text);
  const emptied = (): void => {
    if (inputRef.current) inputRef.current.value = '';
    setText('');
  };
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    // What the field holds now, at this key press: the next key may be in the queue already.
    const line = inputRef.current?.value ?? '';
    emptied();
    jot.takeLine(line);
  };
  const paste = (event: ClipboardEvent): void => {
    const pasted = event.clipboardData.getData('text');
    if (!/[\r\n]/.test(pasted.trim())) return;
    event.preventDefault();
    for (const line of `${inputRef.current?.value ?? ''}${pasted}`.split(/[\r\n]+/)) jot.takeLine(line);
    emptied();
  };
  return (
    <JotForm onSubmit={submit}>
      {jot.armed ? (
        <Armed>
          <Crosshair size={16} aria-hidden />
          {placeName(jot.armed, pack)}
        </Armed>
      ) : (
        <Kbd aria-hidden>J</Kbd>
      )}
      <input
        ref={inputRef}
        aria-label="Jot line"
        autoComplete="off"
        autoCapitalize="off"
        spellCheck={false}
        placeholder={jot.armed ? `figure of ${placeName(jot.armed, pack)}` : 'm07 3.412'}
        defaultValue=""
        onInput={(e) => setText(e.currentTarget.value)}
        onPaste={paste}
        onKeyDown={(e) => {
          if (e.key !== 'Escape') return;
          if (jot.armed && e.currentTarget.value === '') jot.disarm();
          else e.currentTarget.blur();
          emptied();
        }}
      />
      {shown.trim() !== '' ? (
        <Preview line={shown} jot={jot} />
      ) : jot.asked ? (
        <Question asked={jot.asked} jot={jot} inputRef={inputRef} />
      ) : jot.kept.length > 0 ? (
        <Said $wrong={false} role="status">
          <ul>
            {jot.kept.slice(-3).map((k, i) => (
              <li key={k.id ?? i}>{k.label}</li>
            ))}
          </ul>
          <Choices>
            <small style={{ alignSelf: 'center' }}>
              {jot.kept.at(-1)!.said ? '' : jot.kept.length === 1 ? 'Kept' : `${jot.kept.length} kept`}
            </small>
            {jot.kept[jot.kept.length - 1]!.id && (
              <Tool onPress={jot.undo}>
                <Undo2 size={17} aria-hidden />
                Undo the last
              </Tool>
            )}
          </Choices>
        </Said>
      ) : (
        jot.armed && (
          <Said $wrong={false} role="status">
            The next figure is of {placeName(jot.armed, pack)}
            <Choices>
              <small style={{ alignSelf: 'center' }}>until then, or Escape</small>
              <Tool onPress={jot.disarm}>
                <X size={17} aria-hidden />
                Leave it
              </Tool>
            </Choices>
          </Said>
        )
      )}
    </JotForm>
  );
}

/** What a line will be, while it is typed. */
function Preview({ line, jot }: { line: string; jot: JotState }) {
  const { pack, person } = useJobView();
  let jots: Jot[] = [];
  let problem: InputProblem | null = null;
  try {
    jots = jot.parse(line);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    problem = e;
  }
  const first = jots[0];
  return (
    <Said $wrong={problem !== null} role="status">
      {problem ? problem.what : first && jotWords(first, pack)}
      {jots.length > 1 && ` … ${jots.length} readings`}
      <small>
        {problem
          ? problem.accepted
          : first?.type === 'find'
            ? 'Enter shows it, and the next figure is of it'
            : person.mayWrite
              ? 'Enter stores it'
              : 'You read only; nothing is stored.'}
      </small>
    </Said>
  );
}

/** What was typed and not understood: it is kept, and a press says what it is. */
function Question({
  asked,
  jot,
  inputRef,
}: {
  asked: Asked;
  jot: JotState;
  inputRef: RefObject<HTMLInputElement | null>;
}) {
  const open = useSyncExternalStore(subscribeAsked, askedNow).some((a) => a.id === asked.id);
  if (!open) return null;
  return (
    <Said $wrong role="alert">
      “{asked.text}” is kept, not stored. {asked.what}
      {asked.choices.length === 0 && <small>{asked.accepted}</small>}
      <Answers asked={asked} takeLine={jot.takeLine} inputRef={inputRef} />
    </Said>
  );
}
