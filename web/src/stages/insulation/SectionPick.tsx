import { Select, Field } from '../../ui/Field';

/** A run of modules in string order, by its ends. */
export function SectionPick({
  order,
  from,
  to,
  onChange,
}: {
  order: readonly string[];
  from: string;
  to: string;
  onChange: (part: { from?: string; to?: string }) => void;
}) {
  const pick = (label: 'from' | 'to', value: string) => (
    <Field style={{ flexDirection: 'row', alignItems: 'center', gap: 8, flex: 'none' }}>
      {label}
      <Select value={value} onChange={(e) => onChange({ [label]: e.target.value })}>
        {order.map((id) => (
          <option key={id}>{id}</option>
        ))}
      </Select>
    </Field>
  );
  return (
    <>
      {pick('from', from)}
      {pick('to', to)}
    </>
  );
}
