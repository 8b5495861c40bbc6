import { STAGE_FACTS, type Stage } from '@cellmend/core/route';
import { parseJots } from '@cellmend/core/jot';
import { CircleHelp } from 'lucide-react';
import { useSyncExternalStore, type RefObject } from 'react';
import { Dialog, DialogTrigger } from 'react-aria-components';
import { Mute } from '../ui/parts';
import { bareTemperature } from '../ui/units';
import { answered, askedNow, isMine, subscribeAsked, type Asked } from './asked';
import { keep } from './entries';
import { Choices, Pop, Tool } from './footerParts';
import { useJobView } from './jobContext';

/** What a line that is not understood may be, and the ways out of it. */
export function Answers({
  asked,
  takeLine,
  inputRef,
}: {
  asked: Asked;
  takeLine: (line: string, typedAt?: string) => void;
  inputRef: RefObject<HTMLInputElement | null>;
}) {
  return (
    <Choices>
      {asked.choices.map((c) => (
        <Tool
          key={c.line}
          onPress={() => {
            answered(asked.id);
            takeLine(c.line, asked.at);
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
  const lines = useSyncExternalStore(subscribeAsked, askedNow).filter(
    (a) => a.jobNumber === job.number && isMine(a),
  );
  if (lines.length === 0) return null;
  const takeLine = (line: string, typedAt?: string): void => {
    for (const jot of parseJots(line, pack, STAGE_FACTS[stage].usual, null, bareTemperature()))
      if (jot.type !== 'find' && jot.type !== 'done') keep(jot, pack, job.number, stage, undefined, typedAt);
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
