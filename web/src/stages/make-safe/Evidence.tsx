import { parseQuantity } from '@cellmend/core/jot';
import { factsOf, InputProblem, judgeAt, OUT_OF_BOUNDS } from '@cellmend/core/pack';
import { fuseEvidence, type StepData } from '@cellmend/core/safety';
import { useState } from 'react';
import { Input, TextArea, Field } from '../../ui/Field';
import { Button, ProblemNote, Row, Stack } from '../../ui/parts';
import { Tick, type StepProps } from './step';

/** Evidence on a crashed or sleeping unit: written down, nothing is reset. */
export function Evidence({ step, context, may, busy, onTake }: StepProps) {
  const [value, setValue] = useState('');
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const ohms =
    value.trim() === ''
      ? null
      : (() => {
          try {
            return parseQuantity(value).value;
          } catch (e) {
            if (e instanceof InputProblem) return NaN;
            throw e;
          }
        })();
  const groups = step.id === 'group-voltages';
  const bad = ohms !== null && Number.isNaN(ohms);
  const fuse =
    step.id === 'pyro-evidence' && (open || (ohms !== null && !bad))
      ? fuseEvidence('pyro', open ? Infinity : ohms!)
      : null;
  const make = (): StepData => {
    if (groups) return { step: 'group-voltages', lowestV: ohms, text };
    const said = open ? `open, no continuity. ${text}`.trim() : text;
    return { step: step.id as 'pyro-evidence' | 'insulation-evidence', ohm: open ? null : ohms, text: said };
  };
  const ready = open || (ohms !== null && !bad) || text.trim() !== '';
  const judged = groups && ohms !== null && !bad ? judgeAt(context.pack, { kind: 'group' }, ohms) : null;
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void onTake(make());
      }}
    >
      <Stack>
        <h3>{step.title}</h3>
        <p>{step.detail}</p>
        <Row>
          <Field style={{ flex: 1 }}>
            {groups ? 'Lowest group, V' : 'Reading'}
            <Input
              className="n"
              value={value}
              placeholder={groups ? '2.31' : step.id === 'pyro-evidence' ? '0.02' : '482k'}
              onChange={(e) => setValue(e.target.value)}
            />
          </Field>
          {step.id === 'pyro-evidence' && (
            <Tick isSelected={open} onChange={setOpen}>
              Open, no continuity
            </Tick>
          )}
        </Row>
        {fuse && (
          <p>
            <b>{fuse.meaning}</b> {fuse.next}
          </p>
        )}
        {judged && OUT_OF_BOUNDS.has(judged.state) && (
          <p>
            <b>{judged.says}</b> {factsOf(context.pack.profile.chemistry).hazards.overDischarged}
          </p>
        )}
        <Field>
          Note, or why there is no reading
          <TextArea value={text} maxLength={2000} onChange={(e) => setText(e.currentTarget.value)} />
        </Field>
        {bad && (
          <ProblemNote
            what={`“${value}” is not a number.`}
            accepted="A number with a prefix, such as 482k."
          />
        )}
        <div>
          <Button type="submit" isDisabled={!may || busy || !ready || bad}>
            Keep as evidence
          </Button>
        </div>
      </Stack>
    </form>
  );
}
