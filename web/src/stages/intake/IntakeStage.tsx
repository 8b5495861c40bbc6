import type { DecisionBody } from '@cellmend/contract/decisions';
import { parseCode, printCode } from '@cellmend/core/can';
import { parseQuantity, printQuantity } from '@cellmend/core/jot';
import { factsOf, InputProblem } from '@cellmend/core/pack';
import {
  rememberedCauses,
  SIGN_NAMES,
  SIGNS,
  triage,
  withRemembered,
  type Sign,
} from '@cellmend/core/triage';
import { useState } from 'react';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { decisionOf } from '../../api/hooks';
import { useMemoryHere } from '../../learn/WasItSo';
import { useJobView } from '../../shell/jobContext';
import { SignNote, useSigning } from '../../shell/signing';
import { useDraft } from '../../shell/useDraft';
import { Input, TextArea, Field, FieldGroup } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import {
  Answer,
  Button,
  Columns,
  LinkButton,
  Mute,
  NextBar,
  Page,
  PlainList,
  ProblemNote,
  Row,
  Sheet,
  Stack,
} from '../../ui/parts';
import { percent } from '../../ui/words';
import { Readings } from '../notes/Readings';
import { Tick } from '../make-safe/step';
import { currencyUnit, distanceUnit, kmOfShown, shownOfKm } from '../../ui/units';
import { HereBefore } from '../HereBefore';
import type { StageProps } from '../props';

type Intake = Extract<DecisionBody, { topic: 'intake' }>;
const GROUPS = [
  ['symptom', 'What it does'],
  ['when', 'When it shows'],
  ['lamp', 'Warning lamps'],
  ['history', 'What happened before'],
] as const;
const List = styled(PlainList)`
  li {
    background: var(--sheet);
    border: 1px solid var(--line);
    border-radius: 4px;
    padding: 9px 12px;
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 2px 10px;
    b {
      font-size: var(--t-l);
    }
    span,
    p {
      grid-column: 1 / 3;
      font-size: var(--t-s);
    }
  }
`;

interface Draft {
  complaint: string;
  signs: Sign[];
  codes: string;
  codesRead: boolean;
  odometer: string;
  age: string;
  delta: string;
  insulation: string;
  blocks?: string;
  aim: Intake['aim'];
  value: string;
  earlier: string;
}

/** Reads the typed fields into what is stored. @throws InputProblem naming the field. */
function read(draft: Draft): Intake {
  const number = (text: string, name: string, accepted: string): number | null => {
    if (text.trim() === '') return null;
    const value = Number(text.trim().replace(',', '.'));
    if (!Number.isFinite(value) || value < 0)
      throw new InputProblem('intake', `“${text}” is no number.`, name, accepted);
    return value;
  };
  const codes = draft.codes
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map((c) => printCode(parseCode(c)));
  const insulationOhm = draft.insulation.trim() === '' ? null : parseQuantity(draft.insulation).value;
  return {
    topic: 'intake',
    complaint: draft.complaint,
    signs: draft.signs,
    codes,
    codesRead: codes.length > 0 || (draft.codesRead ?? false),
    odometerKm: kmTyped(number(draft.odometer, 'odometer', `As it stands, in ${distanceUnit()}.`)),
    ageYears: number(draft.age, 'age', 'Years.'),
    deltaMv: number(draft.delta, 'delta', 'Millivolts between highest and lowest group.'),
    insulationOhm,
    blockSpreadPercent: percentOf(number(draft.blocks ?? '', 'block spread', '0 to 100 per cent of charge.')),
    aim: draft.aim,
    vehicleValue: number(draft.value ?? '', 'vehicle value', 'An amount, or empty.'),
    earlierRepair: (draft.earlier ?? '').trim(),
  };
}

function percentOf(value: number | null): number | null {
  if (value !== null && value > 100)
    throw new InputProblem(
      'intake',
      `${value} % is more than a whole charge.`,
      'block spread',
      '0 to 100 per cent of charge.',
    );
  return value;
}
const kmTyped = (shown: number | null): number | null =>
  shown === null ? null : Math.round(kmOfShown(shown) * 10) / 10;

/** Complaint, signs, codes and first numbers; what is likely, what to test next, and the known false starts. */
export function IntakeStage({ question, stage }: StageProps) {
  const { job, pack, person } = useJobView();
  const stored = decisionOf(job, 'intake');
  const b = stored?.body;
  const [draft, setDraft, clear] = useDraft<Draft>(`${job.number}.intake`, {
    complaint: b?.complaint ?? job.complaint,
    signs: b?.signs ?? [],
    codes: b?.codes.join(' ') ?? '',
    codesRead: b?.codesRead ?? false,
    odometer: b?.odometerKm == null ? '' : String(shownOfKm(b.odometerKm)),
    age: b?.ageYears?.toString() ?? '',
    delta: b?.deltaMv?.toString() ?? '',
    blocks: b?.blockSpreadPercent?.toString() ?? '',
    insulation: b?.insulationOhm ? printQuantity(b.insulationOhm, 'insulation') : '',
    aim: b?.aim ?? 'restore',
    value: b?.vehicleValue?.toString() ?? '',
    earlier: b?.earlierRepair ?? '',
  });
  const [all, setAll] = useState(false);
  const signing = useSigning('intake');
  const set = (part: Partial<Draft>): void => setDraft({ ...draft, ...part });
  let intake: Intake | null = null;
  let problem: InputProblem | null = null;
  try {
    intake = read(draft);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    problem = e;
  }
  const packVoltageV = pack.groups.length * factsOf(pack.profile.chemistry).cell.nominalV;
  const rows = triage(draft.signs, intake?.codes ?? [], {
    deltaMv: intake?.deltaMv ?? undefined,
    insulationOhm: intake?.insulationOhm ?? undefined,
    blockSpreadPercent: intake?.blockSpreadPercent ?? undefined,
    packVoltageV,
  });
  const { data: memory } = useMemoryHere(job.number);
  // Weighed in where the workshop has switched it on; what the signs say alone stays beside it.
  const ranked = withRemembered(
    rows,
    memory?.on && memory.model ? rememberedCauses(memory.model.verdicts) : {},
  );
  const first = ranked[0];
  return (
    <Page>
      <h1>{question}</h1>
      {first && (
        <Answer
          tone="plain"
          title={`First of all: ${first.cause}`}
          big={percent(first.withMemory)}
          small={
            first.here.n > 0 ? `with memory, ${percent(first.share)} by the signs` : 'of what points anywhere'
          }
        >
          {first.test} Known false start: {first.falseStart}
        </Answer>
      )}
      <HereBefore />
      <Columns $of="1.3fr 1fr">
        <Sheet>
          <Stack>
            <Field>
              Complaint
              <TextArea
                value={draft.complaint}
                maxLength={2000}
                onChange={(e) => set({ complaint: e.currentTarget.value })}
              />
            </Field>
            {GROUPS.map(([group, name]) => (
              <FieldGroup key={group}>
                {name}
                <Chips
                  selectionMode="multiple"
                  selectedKeys={draft.signs}
                  onSelectionChange={(k) =>
                    set({
                      signs: [
                        ...draft.signs.filter((s) => SIGNS[s].group !== group),
                        ...([...k] as Sign[]).filter((s) => SIGNS[s].group === group),
                      ],
                    })
                  }
                  aria-label={name}
                >
                  {SIGN_NAMES.filter((s) => SIGNS[s].group === group).map((s) => (
                    <ToggleButton key={s} id={s}>
                      {s}
                    </ToggleButton>
                  ))}
                </Chips>
              </FieldGroup>
            ))}
            <Field>
              Trouble codes
              <Input
                className="n"
                value={draft.codes}
                placeholder="P0AA6 P0A80"
                onChange={(e) => set({ codes: e.target.value })}
              />
            </Field>
            {draft.codes.trim() === '' && (
              <Tick isSelected={draft.codesRead ?? false} onChange={(codesRead) => set({ codesRead })}>
                Codes were read, and there are none
              </Tick>
            )}
            <Row>
              <Field style={{ flex: 1 }}>
                Odometer, {distanceUnit()}
                <Input
                  inputMode="numeric"
                  value={draft.odometer}
                  onChange={(e) => set({ odometer: e.target.value })}
                />
              </Field>
              <Field style={{ flex: 1 }}>
                Age, years
                <Input inputMode="numeric" value={draft.age} onChange={(e) => set({ age: e.target.value })} />
              </Field>
              <Field style={{ flex: 1 }}>
                Vehicle worth{currencyUnit() && `, ${currencyUnit()}`}
                <Input
                  inputMode="numeric"
                  value={draft.value ?? ''}
                  placeholder="6500"
                  onChange={(e) => set({ value: e.target.value })}
                />
              </Field>
            </Row>
            <Row>
              <Field style={{ flex: 1 }}>
                Delta shown, mV
                <Input
                  inputMode="decimal"
                  value={draft.delta}
                  onChange={(e) => set({ delta: e.target.value })}
                />
              </Field>
              {pack.profile.chemistry === 'nimh' && (
                <Field style={{ flex: 1 }}>
                  Blocks apart, % of charge
                  <Input
                    inputMode="decimal"
                    value={draft.blocks ?? ''}
                    onChange={(e) => set({ blocks: e.target.value })}
                  />
                </Field>
              )}
              <Field style={{ flex: 1 }}>
                Insulation shown
                <Input
                  value={draft.insulation}
                  placeholder="195k"
                  onChange={(e) => set({ insulation: e.target.value })}
                />
              </Field>
            </Row>
            <Field>
              Earlier repair, parts changed already
              <Input
                value={draft.earlier ?? ''}
                maxLength={500}
                placeholder="M03 last spring; 12 V battery"
                onChange={(e) => set({ earlier: e.target.value })}
              />
            </Field>
            <FieldGroup>
              The owner wants to
              <Chips
                selectionMode="single"
                disallowEmptySelection
                selectedKeys={[draft.aim]}
                onSelectionChange={(k) => set({ aim: [...k][0] as Intake['aim'] })}
                aria-label="The owner wants to"
              >
                {(['limp on', 'restore', 'sell', 'buy'] as const).map((a) => (
                  <ToggleButton key={a} id={a}>
                    {a}
                  </ToggleButton>
                ))}
              </Chips>
            </FieldGroup>
          </Stack>
        </Sheet>
        <Stack $gap={8}>
          <h2>What is likely</h2>
          {rows.length === 0 && (
            <Mute>Pick what the vehicle does and what happened before; the list ranks itself.</Mute>
          )}
          <List>
            {ranked.slice(0, all ? rows.length : 4).map((r) => (
              <li key={r.cause}>
                <b>{r.cause}</b>
                <b className="n">{percent(r.withMemory)}</b>
                <span>{r.test}</span>
                <p>
                  <Mute>
                    Because of {r.because.join(', ')}.
                    {r.here.n > 0 &&
                      ` By the signs alone ${percent(r.share)}; ${r.here.hits} of ${r.here.n} on such packs.`}{' '}
                    False start: {r.falseStart}
                  </Mute>
                </p>
              </li>
            ))}
          </List>
          {rows.length > 4 && (
            <div>
              <Button quiet onPress={() => setAll(!all)}>
                {all ? 'Fewer' : `${rows.length - 4} more`}
              </Button>
            </div>
          )}
        </Stack>
      </Columns>
      {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
      <SignNote signing={signing} />
      <NextBar>
        <div>
          <b>
            {stored
              ? `Taken in by ${stored.signedBy}, version ${stored.version}.`
              : 'Kept on this tablet until it is signed.'}
          </b>
          <br />
          Recalls, bulletins and warranty are checked before the first bolt.
        </div>
        <LinkButton $quiet to={`/jobs/${job.number}/scan`}>
          Scan
        </LinkButton>
        <Button
          isDisabled={!intake || !signing.may || signing.busy || !person.mayWrite}
          onPress={() => void signing.sign({ body: intake! }).then((ok) => ok && clear())}
        >
          {stored ? 'Sign again' : 'Sign intake'}
        </Button>
      </NextBar>
      <Readings stage={stage} />
    </Page>
  );
}
