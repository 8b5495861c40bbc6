import { limitOf, withLimit, type LimitKey, type PackProfile } from '@cellmend/core/pack';
import { parseQuantity, printQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { useState } from 'react';
import { Input, Field } from '../ui/Field';
import { Mute, Row, Sheet, Stack } from '../ui/parts';

/** A figure with prefix and unit; what cannot be read is marked and not taken. */
function Figure({
  label,
  value,
  placeholder,
  ohms = false,
  onChange,
}: {
  label: string;
  value: number | undefined;
  placeholder: string;
  ohms?: boolean;
  onChange: (v: number | undefined) => void;
}) {
  const [text, setText] = useState(
    value === undefined ? '' : ohms ? printQuantity(value, 'insulation') : String(value),
  );
  const [bad, setBad] = useState(false);
  const read = (next: string): void => {
    setText(next);
    if (next.trim() === '') {
      setBad(false);
      return onChange(undefined);
    }
    try {
      const { value: v } = parseQuantity(next);
      setBad(!(v > 0));
      if (v > 0) onChange(v);
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      setBad(true);
    }
  };
  return (
    <Field style={{ flex: 1, minWidth: 130 }}>
      {label}
      <Input
        className="n"
        value={text}
        placeholder={placeholder}
        aria-invalid={bad}
        onChange={(e) => read(e.target.value)}
      />
      {bad && <small role="alert">A number above zero, such as {placeholder}.</small>}
    </Field>
  );
}

/** What Make safe and Insulation need of a pack: its bus, and the maker's insulation figures. */
export function SafetyFields({
  profile,
  onChange,
}: {
  profile: PackProfile;
  onChange: (part: Partial<PackProfile>) => void;
}) {
  const own = (key: LimitKey): number | undefined => profile.limits?.find((l) => l.key === key)?.value;
  const usual = (key: LimitKey): string => {
    const limit = limitOf({ chemistry: profile.chemistry }, key);
    return limit ? printQuantity(limit.value, key === 'testVoltageMostV' ? 'voltage' : 'insulation') : '';
  };
  const set = (key: LimitKey, value: number | undefined): void =>
    onChange({ limits: withLimit(profile, key, value).limits });
  return (
    <Sheet>
      <Stack>
        <h2>Bus and insulation</h2>
        <Mute>
          The wait for the capacitors is computed from the first two; the maker’s insulation figures win over
          the usual ones. Changing them is signed, and closes the gate of every job on this pack.
        </Mute>
        <Row>
          <Figure
            label="Bus capacitors, F"
            value={profile.busCapacitanceF}
            placeholder="1.1m"
            onChange={(busCapacitanceF) => onChange({ busCapacitanceF })}
          />
          <Figure
            label="Their bleeder, Ω"
            value={profile.busBleederOhm}
            placeholder="82k"
            ohms
            onChange={(busBleederOhm) => onChange({ busBleederOhm })}
          />
          <Figure
            label="Pre-charge, Ω"
            value={profile.preChargeOhm}
            placeholder="40"
            onChange={(preChargeOhm) => onChange({ preChargeOhm })}
          />
        </Row>
        <Row>
          <Figure
            label="Vehicle warns below"
            value={own('vehicleWarnOhm')}
            placeholder={usual('vehicleWarnOhm')}
            ohms
            onChange={(v) => set('vehicleWarnOhm', v)}
          />
          <Figure
            label="No start below"
            value={own('vehicleStopOhm')}
            placeholder={usual('vehicleStopOhm')}
            ohms
            onChange={(v) => set('vehicleStopOhm', v)}
          />
          <Figure
            label="Module at least"
            value={own('moduleInsulationOhm')}
            placeholder={usual('moduleInsulationOhm')}
            ohms
            onChange={(v) => set('moduleInsulationOhm', v)}
          />
          <Figure
            label="Test voltage at most, V"
            value={own('testVoltageMostV')}
            placeholder={usual('testVoltageMostV')}
            onChange={(v) => set('testVoltageMostV', v)}
          />
        </Row>
      </Stack>
    </Sheet>
  );
}
