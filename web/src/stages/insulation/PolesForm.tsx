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
import { decisionOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Input, Field } from '../../ui/Field';
import { Chips } from '../../ui/Chips';
import { Button, Mute, ProblemNote, Row, Sheet, Stack } from '../../ui/parts';
import { fixed, ohms, percent } from '../../ui/words';
import { useAdd } from './useAdd';
import { SectionPick } from './SectionPick';
import { accuracyOf, figure } from './view';

const EMPTY = {
  packV: '',
  negativeV: '',
  positiveV: '',
  meter: '10M',
  r0: '',
  v1r0: '',
  shown: '',
  accuracy: '',
  residual: '',
  from: '',
  to: '',
  wetted: '' as '' | 'wet',
};
type Where = 'whole' | 'pack' | 'vehicle' | 'part';

/** The vehicle's figure, both poles to chassis, and the known resistor: what the terminals tell. */
export function PolesForm({ onDone }: { onDone: () => void }) {
  const { job, person, pack } = useJobView();
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  const [kept, setDraft, clear] = useDraft(`${job.number}.poles`, EMPTY);
  // A draft of an earlier day may have fewer fields.
  const draft = { ...EMPTY, ...kept };
  const [where, setWhere] = useState<Where>('whole');
  const section =
    where === 'part' ? { from: draft.from || order[0]!, to: draft.to || order.at(-1)! } : undefined;
  const side = where === 'part' ? 'pack' : where;
  const { add, busy, problem } = useAdd();
  const set = (part: Partial<typeof EMPTY>): void => setDraft({ ...draft, ...part });
  const v = {
    packV: figure(draft.packV),
    negativeV: figure(draft.negativeV),
    positiveV: figure(draft.positiveV),
    meterOhm: figure(draft.meter),
    r0Ohm: figure(draft.r0),
    v1WithR0: figure(draft.v1r0),
    residualOhm: figure(draft.residual),
  };
  const accuracy = accuracyOf(draft.accuracy);
  const wetted = draft.wetted === 'wet' ? { wetted: true } : {};
  const atIntake = decisionOf(job, 'intake')?.body.insulationOhm ?? null;
  let told = '';
  let wrong: InputProblem | null = null;
  const poles =
    v.packV !== null && v.negativeV !== null && v.positiveV !== null && v.meterOhm !== null
      ? {
          packV: v.packV,
          negativeV: v.negativeV,
          positiveV: v.positiveV,
          meterOhm: v.meterOhm,
          ...(v.residualOhm === null ? {} : { residualOhm: v.residualOhm }),
          ...accuracy,
          ...wetted,
        }
      : null;
  const resistor: Extract<InsulationObservation, { kind: 'known-resistor' }> | null =
    poles && !section && v.r0Ohm !== null && v.v1WithR0 !== null
      ? {
          kind: 'known-resistor',
          higher: poles.negativeV >= poles.positiveV ? 'negative' : 'positive',
          v1: Math.max(poles.negativeV, poles.positiveV),
          v2: Math.min(poles.negativeV, poles.positiveV),
          v1WithR0: v.v1WithR0,
          r0Ohm: v.r0Ohm,
          packV: poles.packV,
          ...wetted,
        }
      : null;
  try {
    const k = resistor && knownResistor({ ...resistor, packV: resistor.packV ?? undefined });
    if (poles) {
      const l = locateLeak({ ...poles, togetherOhm: k ? togetherOhm(k) : undefined });
      const size = `${ohms(l.equivalentOhm.value)} (${ohms(l.equivalentOhm.low)} to ${ohms(l.equivalentOhm.high)})`;
      told = l.identifiable
        ? `The leak sits ${percent(l.fraction.value)} up ${section ? `from ${section.from} to ${section.to}` : 'the string'} (${percent(l.fraction.low)} to ${percent(l.fraction.high)}), about ${size}.`
        : `About ${size} in all; where it sits cannot be told from these voltages.`;
    }
    if (k) {
      told += ` By the known resistor: ${ohms(k.regulationOhm.value)} as the regulation counts it, ${ohms(k.leakOhm)} the leak itself.`;
    }
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    wrong = e;
  }
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    void record(false);
  };
  const record = async (confirmed: boolean): Promise<void> => {
    const shown = figure(draft.shown);
    if (
      shown !== null &&
      !(await add({
        observation: /v/i.test(draft.shown)
          ? { kind: 'vehicle', ohm: null, signalV: shown, ...wetted }
          : { kind: 'vehicle', ohm: shown, signalV: null, ...wetted },
      }))
    )
      return;
    if (
      poles &&
      !(await add({
        observation: { kind: 'poles', side, ...poles, ...(section && { section }) },
        confirmed,
      }))
    )
      return;
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
    <form onSubmit={submit}>
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
            selectedKeys={[where]}
            onSelectionChange={(k) => setWhere([...k][0] as Where)}
            aria-label="Where it was measured"
          >
            <ToggleButton id="whole">Pack in the vehicle</ToggleButton>
            <ToggleButton id="pack">Pack alone</ToggleButton>
            <ToggleButton id="vehicle">Vehicle side alone</ToggleButton>
            <ToggleButton id="part">A part of the string</ToggleButton>
          </Chips>
          <Chips
            selectionMode="single"
            disallowEmptySelection
            selectedKeys={[draft.wetted === 'wet' ? 'wet' : 'dry']}
            onSelectionChange={(k) => set({ wetted: [...k][0] === 'wet' ? 'wet' : '' })}
            aria-label="Dry or wetted"
          >
            <ToggleButton id="dry">Dry</ToggleButton>
            <ToggleButton id="wet">After rain or wetting</ToggleButton>
          </Chips>
          {section && (
            <>
              <Row>
                <SectionPick order={order} {...section} onChange={set} />
              </Row>
              <Mute>
                The disconnect or the links at both ends are out: measure this part between its ends, then
                each end to chassis. Do the same with every part; the one that holds the chassis has the leak.
              </Mute>
            </>
          )}
          <Row>
            {input('packV', section ? 'End to end, V' : 'Pole to pole, V', '348')}
            {input('negativeV', section ? 'Lower end, V' : '− to chassis, V', '146')}
            {input('positiveV', section ? 'Upper end, V' : '+ to chassis, V', '201')}
            {input('meter', 'Meter', '10M')}
          </Row>
          <Row>
            {!section && input('r0', 'Known resistor', '100k')}
            {!section && input('v1r0', 'Higher pole with it, V', '11.8')}
            {!section && input('shown', 'The vehicle shows', '9k or 2.4 V')}
            {input('accuracy', 'Meter good to', '0.5 % + 0.1 V')}
            {input('residual', 'Poles when healthy, least', '20M')}
          </Row>
          {!section && atIntake !== null && draft.shown === '' && (
            <div>
              <Button quiet onPress={() => set({ shown: ohms(atIntake) })}>
                The vehicle shows {ohms(atIntake)}, as at intake
              </Button>
            </div>
          )}
          {accuracy === null && (
            <ProblemNote
              what={`“${draft.accuracy}” is no accuracy.`}
              accepted="A share and the last digits: 0.5 % + 0.1 V."
            />
          )}
          {told && !wrong && <p>{told}</p>}
          {wrong && <ProblemNote what={wrong.what} where={wrong.where} accepted={wrong.accepted} />}
          {problem && <ProblemNote what={problem.what} where={problem.where} accepted={problem.accepted} />}
          {problem?.code === 'query' && (
            <div>
              <Button quiet isDisabled={busy} onPress={() => void record(true)}>
                It is so: close the gate
              </Button>
            </div>
          )}
          <Row>
            <Button
              type="submit"
              isDisabled={
                busy ||
                !person.mayWrite ||
                wrong !== null ||
                accuracy === null ||
                (!poles && (section !== undefined || figure(draft.shown) === null))
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
