import { ToggleButton } from 'react-aria-components';
import { Chips } from '../../ui/Chips';
import { Field, Input } from '../../ui/Field';
import { Row } from '../../ui/parts';
import { distanceUnit } from '../../ui/units';
import { warrantyOf, type WarrantyTyped } from './warranty';

/** How long, how far and for what the workshop stands for its work. */
export function WarrantyFields({
  typed,
  onChange,
}: {
  typed: WarrantyTyped;
  onChange: (next: WarrantyTyped) => void;
}) {
  const { wrong } = warrantyOf(typed);
  return (
    <Row style={{ flexWrap: 'wrap', alignItems: 'flex-end' }}>
      <Field style={{ flex: '1 1 130px' }}>
        Warranty, months
        <Input
          className="n"
          inputMode="decimal"
          value={typed.months}
          onChange={(e) => onChange({ ...typed, months: e.target.value })}
        />
      </Field>
      <Field style={{ flex: '1 1 130px' }}>
        Or {distanceUnit()}
        <Input
          className="n"
          inputMode="decimal"
          value={typed.distance}
          onChange={(e) => onChange({ ...typed, distance: e.target.value })}
        />
      </Field>
      <Field style={{ flex: '2 1 200px' }}>
        Covers
        <Chips
          selectionMode="multiple"
          selectedKeys={typed.covers}
          onSelectionChange={(k) => onChange({ ...typed, covers: [...k].map(String) })}
          aria-label="What the warranty covers"
        >
          <ToggleButton id="parts">parts</ToggleButton>
          <ToggleButton id="labour">labour</ToggleButton>
        </Chips>
        {wrong && <small role="alert">Figures above zero, and what it covers.</small>}
      </Field>
    </Row>
  );
}
