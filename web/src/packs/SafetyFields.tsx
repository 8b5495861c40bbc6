import type { InsulationProfile, PackProfile } from '@cellmend/core/pack';
import { parseQuantity, printQuantity } from '@cellmend/core/jot';
import { InputProblem } from '@cellmend/core/pack';
import { useState } from 'react';
import { Field, Input, Mute, Row, Sheet, Stack } from '../ui/parts';

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
  const own = profile.insulation ?? {};
  const set = (part: Partial<InsulationProfile>): void => onChange({ insulation: { ...own, ...part } });
  return (
    <Sheet>
      <Stack>
        <h2>Bus and insulation</h2>
        <Mute>
          The wait for the capacitors is computed from the first two; the maker’s insulation figures win over
          the usual ones.
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
            value={own.vehicleWarnOhm}
            placeholder="195k"
            ohms
            onChange={(vehicleWarnOhm) => set({ vehicleWarnOhm })}
          />
          <Figure
            label="No start below"
            value={own.vehicleStopOhm}
            placeholder="50k"
            ohms
            onChange={(vehicleStopOhm) => set({ vehicleStopOhm })}
          />
          <Figure
            label="Module at least"
            value={own.moduleLeastOhm}
            placeholder="20M"
            ohms
            onChange={(moduleLeastOhm) => set({ moduleLeastOhm })}
          />
          <Figure
            label="Test voltage at most, V"
            value={own.testVoltageMostV}
            placeholder="1000"
            onChange={(testVoltageMostV) => set({ testVoltageMostV })}
          />
        </Row>
      </Stack>
    </Sheet>
  );
}
