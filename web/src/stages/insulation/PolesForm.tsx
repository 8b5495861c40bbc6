import {
  knownResistor,
  togetherOhm,
  locateLeak,
  type InsulationObservation,
} from '@cellmend/core/insulation';
import { InputProblem } from '@cellmend/core/pack';
import { useState, type FormEvent } from 'react';
import { ToggleButton } from 'react-aria-components';
import { useDraft } from '../../shell/useDraft';
import { useJobView } from '../../shell/jobContext';
import { Button, Chips, Field, Input, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { fixed, ohms, percent } from '../../ui/words';
import { useAdd } from './useAdd';
import { figure } from './view';

const EMPTY = { packV: '', negativeV: '', positiveV: '', meter: '10M', r0: '', v1r0: '', shown: '' };

/** The vehicle's figure, both poles to chassis, and the known resistor: what the terminals tell. */
export function PolesForm({ onDone }: { onDone: () => void }) {
  const { job, person } = useJobView();
  const [draft, setDraft, clear] = useDraft(`${job.number}.poles`, EMPTY);
  const [side, setSide] = useState<'whole' | 'pack' | 'vehicle'>('whole');
  const { add, busy, problem } = useAdd();
  const set = (part: Partial<typeof EMPTY>): void => setDraft({ ...draft, ...part });
  const v = {
    packV: figure(draft.packV),
    negativeV: figure(draft.negativeV),
    positiveV: figure(draft.positiveV),
    meterOhm: figure(draft.meter),
    r0Ohm: figure(draft.r0),
    v1WithR0: figure(draft.v1r0),
  };
  let told = '';
  let wrong: InputProblem | null = null;
  const poles =
    v.packV !== null && v.negativeV !== null && v.positiveV !== null && v.meterOhm !== null
      ? { packV: v.packV, negativeV: v.negativeV, positiveV: v.positiveV, meterOhm: v.meterOhm }
      : null;
  const resistor: Extract<InsulationObservation, { kind: 'known-resistor' }> | null =
    poles && v.r0Ohm !== null && v.v1WithR0 !== null
      ? {
          kind: 'known-resistor',
          higher: poles.negativeV >= poles.positiveV ? 'negative' : 'positive',
          v1: Math.max(poles.negativeV, poles.positiveV),
          v2: Math.min(poles.negativeV, poles.positiveV),
          v1WithR0: v.v1WithR0,
          r0Ohm: v.r0Ohm,
          packV: poles.packV,
        }
      : null;
  try {
    const k = resistor && knownResistor({ ...resistor, packV: resistor.packV ?? undefined });
    if (poles) {
      const l = locateLeak({ ...poles, togetherOhm: k ? togetherOhm(k) : undefined });
      const size = `${ohms(l.equivalentOhm.value)} (${ohms(l.equivalentOhm.low)} to ${ohms(l.equivalentOhm.high)})`;
      told = l.identifiable
        ? `The leak sits ${percent(l.fraction.value)} up the string (${percent(l.fraction.low)} to ${percent(l.fraction.high)}), about ${size}.`
        : `About ${size} in all; where it sits cannot be told from these voltages.`;
    }
    if (k) {
      told += ` By the known resistor: ${ohms(k.regulationOhm.value)} as the regulation counts it, ${ohms(k.leakOhm)} the leak itself.`;
    }
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    wrong = e;
  }
  const submit = async (event: FormEvent): Promise<void> => {
    event.preventDefault();
    const shown = figure(draft.shown);
    if (
      shown !== null &&
      !(await add({
        observation: /v/i.test(draft.shown)
          ? { kind: 'vehicle', ohm: null, signalV: shown }
          : { kind: 'vehicle', ohm: shown, signalV: null },
      }))
    )
      return;
    if (poles && !(await add({ observation: { kind: 'poles', side, ...poles } }))) return;
    if (resistor && !(await add({ observation: resistor }))) return;
    clear();
    setDraft(EMPTY);
    onDone();
  };
  const input = (key: keyof typeof EMPTY, label: string, placeholder: string) => (
    <Field style={{ flex: 1, minWidth: 128 }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        autoComplete="off"
        placeholder={placeholder}
        value={draft[key]}
        onChange={(e) => set({ [key]: e.target.value })}
      />
    </Field>
  );
  return (
    <form onSubmit={(e) => void submit(e)}>
      <Sheet>
        <Stack>
          <h2>What do the terminals show?</h2>
          <Mute>
            Live measurement: gloves on, one hand, meter of the right category. One pole after the other, with
            the same meter; the pack at rest.
          </Mute>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[side]}
            onSelectionChange={(k) => setSide([...k][0] as typeof side)}
            aria-label="Where it was measured"
          >
            <ToggleButton id="whole">Pack in the vehicle</ToggleButton>
            <ToggleButton id="pack">Pack alone</ToggleButton>
            <ToggleButton id="vehicle">Vehicle side alone</ToggleButton>
          </Chips>
          <Row>
            {input('packV', 'Pole to pole, V', '348')}
            {input('negativeV', '− to chassis, V', '146')}
            {input('positiveV', '+ to chassis, V', '201')}
            {input('meter', 'Meter', '10M')}
          </Row>
          <Row>
            {input('r0', 'Known resistor', '100k')}
            {input('v1r0', 'Higher pole with it, V', '11.8')}
            {input('shown', 'The vehicle shows', '9k or 2.4 V')}
          </Row>
          {told && !wrong && <p>{told}</p>}
          {wrong && <ProblemNote what={wrong.what} where={wrong.where} accepted={wrong.accepted} />}
          {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
          <Row>
            <Button
              type="submit"
              isDisabled={
                busy || !person.mayWrite || wrong !== null || (!poles && figure(draft.shown) === null)
              }
            >
              Record
            </Button>
            {poles && !resistor && poles.packV - poles.negativeV - poles.positiveV < 0.02 * poles.packV && (
              <Mute>
                The sum is nearly the whole voltage: this meter cannot tell the size. A resistor of about{' '}
                {fixed((poles.packV * 300) / 1000, 0)} kΩ across the higher pole can.
              </Mute>
            )}
          </Row>
        </Stack>
      </Sheet>
    </form>
  );
}
