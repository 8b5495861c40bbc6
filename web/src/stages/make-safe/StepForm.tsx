import { GLOVE_CLASSES, gloveFault, hazardsOf, type GloveClass, type StepData } from '@cellmend/core/safety';
import { useState, type ReactNode } from 'react';
import { useJobView } from '../../shell/jobContext';
import { Input, Select, TextArea, Field } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Stack } from '../../ui/parts';
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
    case 'look':
      return <Look {...props} />;
    case 'quarantine':
      return <Quarantine {...props} />;
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

/** What is seen from a distance, and whether anybody may go nearer. */
function Look({ step, may, busy, onTake }: StepProps) {
  const [text, setText] = useState('');
  const [calm, setCalm] = useState<boolean | null>(null);
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (calm !== null) void onTake({ step: 'look', text, calm });
      }}
    >
      <Stack>
        <h3>{step.title}</h3>
        <p>{step.detail}</p>
        <Field>
          What is seen
          <TextArea value={text} maxLength={2000} onChange={(e) => setText(e.currentTarget.value)} />
        </Field>
        <Row $gap={8} role="group" aria-label="Calm or not">
          <Button quiet={calm !== true} onPress={() => setCalm(true)}>
            Calm: no smoke, hiss, heat, smell
          </Button>
          <Button quiet={calm !== false} onPress={() => setCalm(false)}>
            Not calm
          </Button>
        </Row>
        {calm === false && (
          <ProblemNote
            what="Nobody goes near it. Press Stop: it says what to do first and whom to call."
            accepted="Look again from a distance when it has been quiet."
          />
        )}
        <div>
          <Button type="submit" isDisabled={!may || busy || calm === null || text.trim() === ''}>
            Keep what is seen
          </Button>
        </div>
      </Stack>
    </form>
  );
}

/** Outdoors is the careful choice; staying needs a reason. */
function Quarantine({ step, view, may, busy, onTake }: StepProps) {
  const [decision, setDecision] = useState<'outdoors' | 'stays' | null>(null);
  const [place, setPlace] = useState('');
  const [reason, setReason] = useState('');
  const usual = view.settings.quarantinePlace;
  const ready =
    place.trim() !== '' && (decision === 'outdoors' || (decision === 'stays' && reason.trim() !== ''));
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (decision !== null) void onTake({ step: 'quarantine', decision, place, reason });
      }}
    >
      <Stack>
        <h3>{step.title}</h3>
        <p>{step.detail}</p>
        <Row $gap={8} role="group" aria-label="Where it stands">
          <Button quiet={decision !== 'outdoors'} onPress={() => setDecision('outdoors')}>
            Outdoors, away from everything
          </Button>
          <Button quiet={decision !== 'stays'} onPress={() => setDecision('stays')}>
            It stays
          </Button>
        </Row>
        <Field>
          Where
          <Input value={place} maxLength={200} onChange={(e) => setPlace(e.target.value)} />
        </Field>
        {usual !== '' && place === '' && (
          <div>
            <Button quiet onPress={() => setPlace(usual)}>
              {usual}
            </Button>
          </div>
        )}
        {decision === 'stays' && (
          <Field>
            Why it may stay
            <Input value={reason} maxLength={500} onChange={(e) => setReason(e.target.value)} />
          </Field>
        )}
        <div>
          <Button type="submit" isDisabled={!may || busy || !ready}>
            It stands there
          </Button>
        </div>
      </Stack>
    </form>
  );
}

function Gloves({ step, context, view, may, busy, onTake }: StepProps) {
  const [gloveClass, setClass] = useState<GloveClass | ''>(view.gloves.gloveClass ?? '');
  const [testedOn, setTested] = useState(view.gloves.testedOn ?? '');
  const [airTest, setAir] = useState(false);
  const fault = gloveFault(
    { gloveClass: gloveClass || null, testedOn: testedOn || null },
    context.packV,
    new Date().toISOString().slice(0, 10),
  );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (gloveClass !== '') void onTake({ step: 'gloves', gloveClass, testedOn, airTest });
      }}
    >
      <Stack>
        <h3>{step.title}</h3>
        <p>{step.detail}</p>
        <Row>
          <Field style={{ flex: 1 }}>
            Class on the cuff
            <Select value={gloveClass} onChange={(e) => setClass(e.target.value as GloveClass)}>
              <option value="">choose</option>
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
          <Button
            type="submit"
            isDisabled={!may || busy || fault !== '' || !airTest || gloveClass === '' || testedOn === ''}
          >
            Gloves on
          </Button>
        </div>
      </Stack>
    </form>
  );
}
