import { Input, Select, Field } from '../../ui/Field';
import { Row } from '../../ui/parts';

export interface Out {
  to: 'shelf' | 'bench' | 'quarantine' | 'scrapped' | 'returned' | 'sold';
  reason: string;
  proof: string;
}
export const FIRST_OUT: Out = { to: 'quarantine', reason: '', proof: '' };
export const leaves = (out: Out): boolean => ['scrapped', 'returned', 'sold'].includes(out.to);
export const isTold = (out: Out): boolean =>
  !leaves(out) || (out.reason.trim() !== '' && out.proof.trim() !== '');

const WHERE: Record<Out['to'], string> = {
  shelf: 'shelf',
  bench: 'bench',
  quarantine: 'quarantine',
  scrapped: 'scrapped, to whoever may take it',
  returned: 'returned as a core',
  sold: 'sold',
};

/** Where a part goes, and the proof where it leaves the workshop. */
export function OutFields({ out, onChange }: { out: Out; onChange: (out: Out) => void }) {
  return (
    <Row>
      <Field style={{ flex: '1 1 200px' }}>
        Send to
        <Select value={out.to} onChange={(e) => onChange({ ...out, to: e.target.value as Out['to'] })}>
          {Object.entries(WHERE).map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Select>
      </Field>
      <Field style={{ flex: '1 1 180px' }}>
        Why
        <Input
          value={out.reason}
          maxLength={500}
          onChange={(e) => onChange({ ...out, reason: e.target.value })}
        />
      </Field>
      {leaves(out) && (
        <Field style={{ flex: '1 1 180px' }}>
          Proof: who took it, which paper
          <Input
            value={out.proof}
            maxLength={500}
            onChange={(e) => onChange({ ...out, proof: e.target.value })}
          />
        </Field>
      )}
    </Row>
  );
}
