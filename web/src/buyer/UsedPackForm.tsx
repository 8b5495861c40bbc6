import { LOOK_IDS, LOOKS } from '@cellmend/core/buyer';
import { ToggleButton } from 'react-aria-components';
import styled from 'styled-components';
import { Chips } from '../ui/Chips';
import { Field, FieldGroup, Input } from '../ui/Field';
import { Sheet, Stack } from '../ui/parts';
import { currencyUnit, distanceUnit, temperatureUnit } from '../ui/units';
import type { Typed } from './typed';

const Looks = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(300px, 1fr));
  gap: 6px 22px;
  > div {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 10px;
    min-height: 48px;
  }
`;
const Line = styled.div<{ $of: number }>`
  display: grid;
  grid-template-columns: repeat(${(p) => p.$of}, minmax(0, 1fr));
  gap: 10px 12px;
  align-items: end;
  @media (max-width: 640px) {
    grid-template-columns: repeat(2, minmax(0, 1fr));
  }
`;

type Key = Exclude<keyof Typed, 'looked' | 'depositBack'>;

/** What a used pack shows, what was looked at, and what is asked for it. */
export function UsedPackForm({
  typed: t,
  scanned,
  onChange,
}: {
  typed: Typed;
  /** Its delta and its temperatures come from a record. */
  scanned: boolean;
  onChange: (part: Partial<Typed>) => void;
}) {
  const unit = currencyUnit();
  const figure = (key: Key, label: string, hint = ''): React.ReactNode => (
    <Field key={key}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        value={t[key]}
        placeholder={hint}
        maxLength={20}
        onChange={(e) => onChange({ [key]: e.target.value })}
      />
    </Field>
  );
  const money = (label: string): string => (unit ? `${label}, ${unit}` : label);
  return (
    <>
      <Sheet aria-label="What it shows">
        <Stack $gap={10}>
          <h3>What it shows, or its seller tells</h3>
          <Line $of={3}>
            {!scanned && figure('delta', 'Delta, mV')}
            {figure('soc', 'Charge, %')}
            {figure('health', 'Health it reports, %')}
            {!scanned && figure('coldest', `Coldest, ${temperatureUnit()}`)}
            {!scanned && figure('warmest', `Warmest, ${temperatureUnit()}`)}
            {figure('stored', 'Stored, months')}
          </Line>
        </Stack>
      </Sheet>
      <Sheet aria-label="Looked at">
        <Stack $gap={4}>
          <h3>Looked at</h3>
          <Looks>
            {LOOK_IDS.map((look) => (
              <div key={look}>
                <span>{LOOKS[look].asks}</span>
                <Chips
                  selectionMode="single"
                  selectedKeys={t.looked[look] ? [t.looked[look]] : []}
                  onSelectionChange={(k) => {
                    const found = [...k][0] as 'good' | 'bad' | undefined;
                    const looked = { ...t.looked };
                    if (found) looked[look] = found;
                    else delete looked[look];
                    onChange({ looked });
                  }}
                  aria-label={LOOKS[look].asks}
                  style={{ flexWrap: 'nowrap' }}
                >
                  <ToggleButton id="good">yes</ToggleButton>
                  <ToggleButton id="bad">no</ToggleButton>
                </Chips>
              </div>
            ))}
          </Looks>
        </Stack>
      </Sheet>
      <Sheet aria-label="What is asked for it">
        <Stack $gap={10}>
          <h3>What is asked for it</h3>
          <Line $of={3}>
            {figure('price', money('Price'))}
            {figure('tax', 'Tax, %')}
            {figure('deposit', money('Core deposit'))}
            {figure('freight', money('Freight'))}
            {figure('hours', 'Own hours')}
            {figure('rate', money('An hour'))}
          </Line>
          <FieldGroup>
            Does the deposit come back?
            <Chips
              selectionMode="single"
              disallowEmptySelection
              selectedKeys={[t.depositBack]}
              onSelectionChange={(k) => onChange({ depositBack: [...k][0] as Typed['depositBack'] })}
              aria-label="Does the deposit come back?"
            >
              <ToggleButton id="yes">yes, in writing</ToggleButton>
              <ToggleButton id="unsure">unsure</ToggleButton>
              <ToggleButton id="no">no</ToggleButton>
            </Chips>
          </FieldGroup>
          <h3>What it is for, and what would be done instead</h3>
          <Line $of={4}>
            {figure('keeps', 'Kept, years')}
            {figure('yearly', `A year, ${distanceUnit()}`)}
            {figure('insteadCost', money('Instead costs'), 'new pack, repair')}
            {figure('insteadYears', 'and lasts, years')}
          </Line>
        </Stack>
      </Sheet>
    </>
  );
}
