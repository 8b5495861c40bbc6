import { GLOVE_CLASSES, gloveFault, hazardsOf, type GloveClass, type StepData } from '@cellmend/core/safety';
import { useState, type ReactNode } from 'react';
import { useJobView } from '../../shell/jobContext';
import { Button, Field, Input, Mute, ProblemNote, Row, Select, Stack } from '../../ui/parts';
import { countdown } from '../../ui/words';
import { Evidence } from './Evidence';
import { LiveDeadLive } from './LiveDeadLive';
import { Tick, type StepProps } from './step';

/** The step at hand: what it asks, and one button. */
export function StepForm(props: StepProps) {
  const { step, context, may, busy, onTake } = props;
  const done = (data: StepData): void => void onTake(data);
  const plain = (children: ReactNode, button: string, data: StepData) => (
    <>
      <h3>{step.title}</h3>
      {children}
      <div>
        <Button isDisabled={!may || busy} onPress={() => done(data)}>
          {button}
        </Button>
      </div>
    </>
  );
  switch (step.id) {
    case 'hazards':
      return plain(
        <ul style={{ margin: 0, paddingLeft: 18 }}>
          {hazardsOf(context).map((h) => (
            <li key={h}>{h}</li>
          ))}
        </ul>,
        'Read',
        { step: 'hazards' },
      );
    case 'low-voltage':
      return plain(<p>{step.detail}</p>, 'Key away, negative off', { step: 'low-voltage' });
    case 'second-person':
      return plain(
        <p>
          {step.detail} Signed in as somebody else than who measured.{' '}
          <Mute>Sign in on this or another tablet.</Mute>
        </p>,
        'I have seen the proof',
        { step: 'second-person' },
      );
    case 'wait':
      return (
        <>
          <h3>Wait for the capacitors</h3>
          <p>
            {step.detail} <b className="n">{countdown(props.waitS)}</b> to go. It cannot be shortened here.
          </p>
        </>
      );
    case 'barrier':
      return (
        <Named
          {...props}
          label="Who knows and stays in sight"
          button="Barrier is up"
          make={(secondPerson) => ({ step: 'barrier', secondPerson })}
        />
      );
    case 'disconnect':
      return (
        <Named
          {...props}
          label="Who keeps it"
          button="Disconnect is out"
          make={(keptBy) => ({ step: 'disconnect', keptBy })}
          own
        />
      );
    case 'gloves':
      return <Gloves {...props} />;
    case 'live-dead-live':
      return <LiveDeadLive {...props} />;
    default:
      return <Evidence {...props} />;
  }
}

function Named({
  step,
  may,
  busy,
  onTake,
  label,
  button,
  make,
  own = false,
}: StepProps & { label: string; button: string; make: (name: string) => StepData; own?: boolean }) {
  const { person } = useJobView();
  const [name, setName] = useState(own ? person.name : '');
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void onTake(make(name));
      }}
    >
      <Stack>
        <h3>{step.title}</h3>
        <p>{step.detail}</p>
        <Field>
          {label}
          <Input value={name} onChange={(e) => setName(e.target.value)} maxLength={80} autoComplete="off" />
        </Field>
        <div>
          <Button type="submit" isDisabled={!may || busy || name.trim() === ''}>
            {button}
          </Button>
        </div>
      </Stack>
    </form>
  );
}

function Gloves({ step, context, view, may, busy, onTake }: StepProps) {
  const [gloveClass, setClass] = useState<GloveClass>(view.gloves.gloveClass ?? '0');
  const [testedOn, setTested] = useState(view.gloves.testedOn ?? '');
  const [airTest, setAir] = useState(false);
  const fault = gloveFault(
    { gloveClass, testedOn: testedOn || null },
    context.packV,
    new Date().toISOString().slice(0, 10),
  );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void onTake({ step: 'gloves', gloveClass, testedOn, airTest });
      }}
    >
      <Stack>
        <h3>{step.title}</h3>
        <p>{step.detail}</p>
        <Row>
          <Field style={{ flex: 1 }}>
            Class on the cuff
            <Select value={gloveClass} onChange={(e) => setClass(e.target.value as GloveClass)}>
              {GLOVE_CLASSES.map((g) => (
                <option key={g.name} value={g.name}>
                  {g.name}, up to {g.mostDcV} V DC
                </option>
              ))}
            </Select>
          </Field>
          <Field style={{ flex: 1 }}>
            Electrical test on
            <Input type="date" value={testedOn} onChange={(e) => setTested(e.target.value)} />
          </Field>
        </Row>
        <Tick isSelected={airTest} onChange={setAir}>
          Air test made just now: rolled up, held, no leak
        </Tick>
        {fault && testedOn !== '' && (
          <ProblemNote what={fault} accepted="Other gloves, on record with class and test date." />
        )}
        <div>
          <Button type="submit" isDisabled={!may || busy || fault !== '' || !airTest}>
            Gloves on
          </Button>
        </div>
      </Stack>
    </form>
  );
}
