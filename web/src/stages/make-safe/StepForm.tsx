import type { SafetyView } from '@cellmend/contract/safety';
import { parseQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import {
  fuseEvidence,
  GLOVE_CLASSES,
  gloveFault,
  hazardsOf,
  proofFault,
  type GloveClass,
  type LockoutContext,
  type StepData,
  type StepView,
} from '@cellmend/core/safety';
import { useRef, useState, type FormEvent, type ReactNode } from 'react';
import { Checkbox } from 'react-aria-components';
import styled from 'styled-components';
import { useDraft } from '../../shell/useDraft';
import { useJobView } from '../../shell/jobContext';
import { Button, Field, Input, Mute, ProblemNote, Row, Select, Stack, TextArea } from '../../ui/parts';
import { countdown } from '../../ui/words';

const Table = styled.table`
  td {
    padding: 3px 10px 3px 0;
    font-size: 16px;
    white-space: nowrap;
  }
  td:nth-child(2) {
    width: 132px;
  }
  input {
    font-size: 20px;
    font-weight: 700;
    text-align: right;
  }
  td:last-child {
    color: var(--mute);
    min-width: 92px;
  }
`;
const Tick = styled(Checkbox)`
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: 44px;
  cursor: pointer;
  &::before {
    content: '';
    width: 24px;
    height: 24px;
    flex: none;
    border: 2px solid var(--edge);
    border-radius: 4px;
  }
  &[data-selected]::before {
    background: var(--mat-text);
    border-color: var(--mat-text);
  }
  &[data-focus-visible]::before {
    outline: 3px solid var(--mat-text);
    outline-offset: 2px;
  }
`;

interface Props {
  step: StepView;
  context: LockoutContext;
  view: SafetyView;
  waitS: number;
  may: boolean;
  busy: boolean;
  onTake: (data: StepData) => Promise<boolean>;
}

/** The step at hand: what it asks, and one button. */
export function StepForm(props: Props) {
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
}: Props & { label: string; button: string; make: (name: string) => StepData; own?: boolean }) {
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

function Gloves({ step, context, view, may, busy, onTake }: Props) {
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

const POINTS = [
  ['meterBeforeV', 'Meter on a known source'],
  ['plusMinusV', 'Pack + to pack −'],
  ['plusChassisV', 'Pack + to chassis'],
  ['minusChassisV', 'Pack − to chassis'],
  ['meterAfterV', 'Meter again'],
] as const;
type Point = (typeof POINTS)[number][0];
const EMPTY: Record<Point, string> = {
  meterBeforeV: '',
  plusMinusV: '',
  plusChassisV: '',
  minusChassisV: '',
  meterAfterV: '',
};

function readVolts(text: string): number | null {
  try {
    const { value, quantity } = parseQuantity(text);
    return quantity === null || quantity === 'voltage' ? value : null;
  } catch (e) {
    if (e instanceof InputProblem) return null;
    throw e;
  }
}

/** Five figures as the meter shows them; Enter goes on to the next. */
function LiveDeadLive({ may, busy, onTake }: Props) {
  const { job } = useJobView();
  const [draft, setDraft, clear] = useDraft<Record<Point, string>>(`${job.number}.live-dead-live`, EMPTY);
  const fields = useRef<Partial<Record<Point, HTMLInputElement | null>>>({});
  const values = Object.fromEntries(POINTS.map(([id]) => [id, readVolts(draft[id])])) as Record<
    Point,
    number | null
  >;
  const complete = POINTS.every(([id]) => values[id] !== null);
  const data = { step: 'live-dead-live', ...values } as Extract<StepData, { step: 'live-dead-live' }>;
  const fault = complete ? proofFault(data) : '';
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (complete) void onTake(data).then((ok) => ok && clear());
  };
  const word = (id: Point): string => {
    const v = values[id];
    if (draft[id].trim() === '') return '';
    if (v === null) return 'no voltage';
    if (id === 'meterBeforeV' || id === 'meterAfterV') return Math.abs(v) >= 6 ? 'lives' : 'not proved';
    return Math.abs(v) < 60 ? 'dead' : 'live';
  };
  return (
    <form onSubmit={submit}>
      <Stack $gap={8}>
        <h3>Live, dead, live</h3>
        <Mute>
          Type what the meter shows. Below 60 V at all points, and a meter that lives before and after, open
          the gate.
        </Mute>
        <Table>
          <tbody>
            {POINTS.map(([id, name], i) => (
              <tr key={id}>
                <td>{name}</td>
                <td>
                  <Input
                    ref={(el: HTMLInputElement | null) => {
                      fields.current[id] = el;
                    }}
                    className="n"
                    inputMode="decimal"
                    autoComplete="off"
                    aria-label={name}
                    value={draft[id]}
                    onChange={(e) => setDraft({ ...draft, [id]: e.target.value })}
                    onKeyDown={(e) => {
                      const next = POINTS[i + 1];
                      if (e.key === 'Enter' && next) {
                        e.preventDefault();
                        fields.current[next[0]]?.focus();
                      }
                    }}
                  />
                </td>
                <td>V</td>
                <td>
                  <b style={{ color: word(id) === 'live' ? 'var(--hot)' : undefined }}>{word(id)}</b>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
        {fault && <ProblemNote what={fault} accepted="It is kept as measured; the gate stays closed." />}
        <div>
          <Button type="submit" isDisabled={!may || busy || !complete}>
            {fault ? 'Keep as measured' : 'Sign: proven dead'}
          </Button>
        </div>
      </Stack>
    </form>
  );
}

/** Evidence on a crashed or sleeping unit: written down, nothing is reset. */
function Evidence({ step, may, busy, onTake }: Props) {
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
  const inspect = step.id === 'crash-inspection';
  const bad = ohms !== null && Number.isNaN(ohms);
  const fuse =
    step.id === 'pyro-evidence' && (open || (ohms !== null && !bad))
      ? fuseEvidence('pyro', open ? Infinity : ohms!)
      : null;
  const make = (): StepData => {
    if (inspect) return { step: 'crash-inspection', text };
    if (groups) return { step: 'group-voltages', lowestV: ohms ?? 0 };
    const said = open ? `open, no continuity. ${text}`.trim() : text;
    return { step: step.id as 'pyro-evidence' | 'insulation-evidence', ohm: open ? null : ohms, text: said };
  };
  const ready = inspect
    ? text.trim() !== ''
    : groups
      ? ohms !== null && !bad
      : open || (ohms !== null && !bad) || text.trim() !== '';
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
        {!inspect && (
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
        )}
        {fuse && (
          <p>
            <b>{fuse.meaning}</b> {fuse.next}
          </p>
        )}
        {groups && ohms !== null && !bad && ohms < 2 && (
          <p>
            <b>{ohms < 1.5 ? 'Scrap by default.' : 'Below the floor.'}</b> A supervised revival is only for
            within its limits: low current, outdoors, watched, and it has to hold.
          </p>
        )}
        <Field>
          {inspect ? 'What is seen' : 'Note, or why there is no reading'}
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
