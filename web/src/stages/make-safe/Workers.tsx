import type { SafetyView } from '@cellmend/contract/safety';
import { GLOVE_CLASSES, gloveFault, isCalled, type GloveClass, type StepData } from '@cellmend/core/safety';
import { useState } from 'react';
import { useJobView } from '../../shell/jobContext';
import { Field, Input, Select } from '../../ui/Field';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { Tick } from './step';

/** Who works behind this lock-out and who stays in sight; whoever is not on it joins or takes over with their own things. */
export function Workers({
  view,
  busy,
  onTake,
}: {
  view: SafetyView;
  busy: boolean;
  onTake: (data: StepData) => Promise<boolean>;
}) {
  const { person } = useJobView();
  const [open, setOpen] = useState(false);
  const out = view.entries.some((e) => e.step === 'disconnect');
  return (
    <Sheet>
      <Stack>
        <h2>Who works on it</h2>
        {view.workers.length === 0 && <Mute>Nobody yet: gloves on, then the disconnect out.</Mute>}
        {view.workers.map((w) => (
          <p key={w.id}>
            <b>{w.name}</b>, gloves class {w.gloveClass}, {w.tag}
          </p>
        ))}
        <p>
          {view.standby ? (
            `${view.standby} stays in sight.`
          ) : (
            <Mute>Nobody is named who stays in sight.</Mute>
          )}
        </p>
        {out && view.workFault !== '' && person.maySignHv && (
          <>
            <ProblemNote
              what={view.workFault}
              accepted="Own gloves, own key or tag, somebody else in sight."
            />
            {open ? (
              <Join view={view} busy={busy} onTake={onTake} onDone={() => setOpen(false)} />
            ) : (
              <div>
                <Button onPress={() => setOpen(true)}>Join or take over</Button>
              </div>
            )}
          </>
        )}
      </Stack>
    </Sheet>
  );
}

function Join({
  view,
  busy,
  onTake,
  onDone,
}: {
  view: SafetyView;
  busy: boolean;
  onTake: (data: StepData) => Promise<boolean>;
  onDone: () => void;
}) {
  const [gloveClass, setClass] = useState<GloveClass | ''>(view.gloves.gloveClass ?? '');
  const [testedOn, setTested] = useState(view.gloves.testedOn ?? '');
  const [airTest, setAir] = useState(false);
  const [tag, setTag] = useState('');
  const [secondPerson, setSecond] = useState('');
  const { person } = useJobView();
  // Whoever stays in sight now names somebody else before they work.
  const sightIsMine = isCalled(view.standby, person.name);
  const today = new Date().toISOString().slice(0, 10);
  const fault = gloveFault({ gloveClass: gloveClass || null, testedOn: testedOn || null }, view.packV, today);
  const ready =
    gloveClass !== '' &&
    testedOn !== '' &&
    fault === '' &&
    airTest &&
    tag.trim() !== '' &&
    (!sightIsMine || secondPerson.trim() !== '');
  const take = async (takesOver: boolean): Promise<void> => {
    if (gloveClass === '') return;
    const data: StepData = { step: 'join', gloveClass, testedOn, airTest, tag, takesOver, secondPerson };
    if (await onTake(data)) onDone();
  };
  return (
    <Stack>
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
      <Row style={{ alignItems: 'flex-end' }}>
        <Field style={{ flex: 1 }}>
          My key or tag on the disconnect
          <Input value={tag} maxLength={80} onChange={(e) => setTag(e.target.value)} autoComplete="off" />
        </Field>
        <Field style={{ flex: 1 }}>
          Who stays in sight now
          <Input
            value={secondPerson}
            maxLength={80}
            placeholder={sightIsMine ? '' : view.standby}
            onChange={(e) => setSecond(e.target.value)}
            autoComplete="off"
          />
        </Field>
      </Row>
      <Tick isSelected={airTest} onChange={setAir}>
        Air test made just now: rolled up, held, no leak
      </Tick>
      {fault && gloveClass !== '' && testedOn !== '' && <ProblemNote what={fault} />}
      <Row>
        <Button isDisabled={busy || !ready} onPress={() => void take(true)}>
          I take over
        </Button>
        <Button quiet isDisabled={busy || !ready} onPress={() => void take(false)}>
          I join the work
        </Button>
      </Row>
    </Stack>
  );
}
