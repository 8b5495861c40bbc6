import type { RecoveryAnswers } from '@cellmend/contract/supervised';
import { ToggleButton } from 'react-aria-components';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Row, Stack } from '../../ui/parts';
import { upper } from '../../ui/words';

export const UNKNOWN: RecoveryAnswers = {
  emptyDays: null,
  ageYears: null,
  swollen: null,
  leaked: null,
  outdoors: false,
  somebodyStays: false,
};

/** What speaks against a recovery; what is not known counts as no. */
export function Recovery({
  answers,
  onChange,
  what,
}: {
  answers: RecoveryAnswers;
  /** What is usually done instead. */
  what: string;
  onChange: (a: RecoveryAnswers) => void;
}) {
  const figure = (key: 'emptyDays' | 'ageYears', label: string) => (
    <Field style={{ flex: '1 1 140px' }}>
      {label}
      <Input
        className="n"
        inputMode="decimal"
        value={answers[key] ?? ''}
        onChange={(e) => {
          const v = e.target.value.trim() === '' ? null : Number(e.target.value.replace(',', '.'));
          onChange({ ...answers, [key]: v !== null && Number.isFinite(v) && v >= 0 ? v : null });
        }}
      />
    </Field>
  );
  const seen = (key: 'swollen' | 'leaked', label: string) => (
    <Chips
      selectionMode="single"
      selectedKeys={answers[key] === null ? [] : [String(answers[key])]}
      onSelectionChange={(k) => onChange({ ...answers, [key]: k.size === 0 ? null : k.has('true') })}
      aria-label={label}
    >
      <ToggleButton id="false">Not {label}</ToggleButton>
      <ToggleButton id="true">{upper(label)}</ToggleButton>
    </Chips>
  );
  return (
    <Stack $gap={8}>
      <b>{what} What is not known counts as no.</b>
      <Row style={{ alignItems: 'flex-end' }}>
        {figure('emptyDays', 'Empty for, days')}
        {figure('ageYears', 'Age, years')}
      </Row>
      <Row>
        {seen('swollen', 'swollen')}
        {seen('leaked', 'wet or smelling')}
      </Row>
      <Chips
        selectionMode="multiple"
        selectedKeys={[
          ...(answers.outdoors ? ['outdoors'] : []),
          ...(answers.somebodyStays ? ['stays'] : []),
        ]}
        onSelectionChange={(k) =>
          onChange({ ...answers, outdoors: k.has('outdoors'), somebodyStays: k.has('stays') })
        }
        aria-label="Where and by whom"
      >
        <ToggleButton id="outdoors">It lies outdoors, away from everything</ToggleButton>
        <ToggleButton id="stays">Somebody stays with it all the time</ToggleButton>
      </Chips>
    </Stack>
  );
}
