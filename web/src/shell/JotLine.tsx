import { STAGE_FACTS, type Stage } from '@cellmend/core/route';
import { findPlace, parseJots, placeName, type Jot, type Place } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { CircleHelp, Crosshair, Undo2, X } from 'lucide-react';
import {
  useDeferredValue,
  useEffect,
  useRef,
  useState,
  useSyncExternalStore,
  type ClipboardEvent,
  type FormEvent,
  type RefObject,
} from 'react';
import { Dialog, DialogTrigger } from 'react-aria-components';
import styled from 'styled-components';
import { Mute } from '../ui/parts';
import { bareTemperature } from '../ui/units';
import { answered, ask, askedNow, subscribeAsked, type Asked } from './asked';
import { jotWords, keep, withdraw, type Kept } from './entries';
import { Kbd, Pop, Tool } from './footerParts';
import { useJobView } from './jobContext';

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
    font-size: 16px;
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
  font-size: 16px;
  box-shadow: 0 4px 16px #0003;
  z-index: 3;
  small {
    display: block;
    font-size: 13.5px;
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
const Choices = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
`;
/** How long what was kept stays readable at arm's length, ms. */
const SHOWN_MS = 8000;

interface JotState {
  /** Takes a line as it is typed, scanned or pasted; the field is free when it returns. */
  takeLine: (line: string) => void;
  armed: Place | null;
  disarm: () => void;
  kept: Kept[];
  undo: () => void;
  asked: Asked | null;
  parse: (line: string) => Jot[];
}

/** What becomes of each line: kept, asked about, or a place armed for the next figure. */
function useJot(stage: Stage): JotState {
  const { pack, job, select, person } = useJobView();
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
  const takeLine = (line: string): void => {
    if (line.trim() === '') return;
    let jots: Jot[];
    try {
      jots = parse(line);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      // What is not understood is kept as it was typed, with the place it was meant for.
      const at = held.current && placeName(held.current, pack).toLowerCase();
      const named = findPlace(line.trim().split(/[\s,;=:]/)[0] ?? '', pack);
      if (person.mayWrite) {
        setAsked(ask(at && !named ? `${at} ${line.trim()}` : line.trim(), job.number, stage, e));
        arm(null);
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
      const entry = keep(jot, pack, job.number, stage);
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

/** A reading in one line: what was understood is shown before it is stored, and what went where afterwards. */
export function JotLine({ stage, inputRef }: { stage: Stage; inputRef: RefObject<HTMLInputElement | null> }) {
  const { pack, person } = useJobView();
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
              {jot.kept.length === 1 ? 'Kept' : `${jot.kept.length} kept`}
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
      {!person.mayWrite && shown.trim() !== '' && <span hidden>You read only; nothing is stored.</span>}
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

function Answers({
  asked,
  takeLine,
  inputRef,
}: {
  asked: Asked;
  takeLine: (line: string) => void;
  inputRef: RefObject<HTMLInputElement | null>;
}) {
  return (
    <Choices>
      {asked.choices.map((c) => (
        <Tool
          key={c.line}
          onPress={() => {
            answered(asked.id);
            takeLine(c.line);
          }}
        >
          <b>{c.says}</b>
        </Tool>
      ))}
      <Tool
        onPress={() => {
          const input = inputRef.current;
          if (!input) return;
          answered(asked.id);
          input.value = asked.text;
          input.dispatchEvent(new Event('input', { bubbles: true }));
          input.focus();
        }}
      >
        Type it again
      </Tool>
      <Tool onPress={() => answered(asked.id)}>Drop it</Tool>
    </Choices>
  );
}

/** Lines of this job that nobody has said the meaning of yet. */
export function AskedLines({
  stage,
  inputRef,
}: {
  stage: Stage;
  inputRef: RefObject<HTMLInputElement | null>;
}) {
  const { job, pack } = useJobView();
  const lines = useSyncExternalStore(subscribeAsked, askedNow).filter((a) => a.jobNumber === job.number);
  if (lines.length === 0) return null;
  const takeLine = (line: string): void => {
    for (const jot of parseJots(line, pack, STAGE_FACTS[stage].usual, null, bareTemperature()))
      if (jot.type !== 'find') keep(jot, pack, job.number, stage);
  };
  return (
    <DialogTrigger>
      <Tool>
        <CircleHelp size={18} aria-hidden />
        <b>{lines.length === 1 ? '1 line asks' : `${lines.length} lines ask`}</b>
      </Tool>
      <Pop>
        <Dialog aria-label="Lines that are not understood yet">
          <b>Kept as they were typed</b>
          <ul>
            {lines.map((a) => (
              <li key={a.id}>
                <span className="n">{a.text}</span>
                <br />
                <Mute>{a.what}</Mute>
                <Answers asked={a} takeLine={takeLine} inputRef={inputRef} />
              </li>
            ))}
          </ul>
        </Dialog>
      </Pop>
    </DialogTrigger>
  );
}
